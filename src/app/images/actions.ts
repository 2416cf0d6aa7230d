"use server";

import { registerFound } from "@/server/images/found-images";
import { forgetImages, getImage, imageInputOf, recordImage, saveImage } from "@/server/images/images";
import { addCopy, moveCopy, setCopyState } from "@/server/images/told-copies";
import { noteChange, withdrawChange } from "@/server/inventory/noted-changes";
import { fail, type Result } from "@/server/problems";
import { currentContext } from "../_lib/context";
import { refreshIfDone } from "../_lib/refresh";

/** Registers an image: by hand, or one that a scan found, with its copy. */
export async function addImageAction(
  input: unknown,
  found: { scanId: number; key: string } | null,
): Promise<Result<number>> {
  const context = await currentContext();
  return refreshIfDone(
    found ? await registerFound(context, found.scanId, found.key, input) : await recordImage(context, input),
  );
}

export async function saveImageAction(id: number, version: number, input: unknown): Promise<Result<number>> {
  return refreshIfDone(await saveImage(await currentContext(), id, version, input));
}

/** Says that an image stays whatever a policy says, or not any more. */
export async function lockImageAction(id: number, version: number, locked: boolean): Promise<Result<number>> {
  const context = await currentContext();
  const detail = await getImage(context, id);
  if (!detail) return fail({ code: "not-found", what: "image" });
  const { body, ...input } = imageInputOf(detail);
  return refreshIfDone(await saveImage(context, id, version, { ...input, body: { ...body, locked } }));
}

export async function forgetImagesAction(ids: number[]): Promise<Result<number>> {
  return refreshIfDone(await forgetImages(await currentContext(), ids));
}

export async function addCopyAction(imageId: number, input: unknown): Promise<Result<number>> {
  return refreshIfDone(await addCopy(await currentContext(), imageId, input));
}

export async function moveCopyAction(id: number, input: unknown): Promise<Result<number>> {
  return refreshIfDone(await moveCopy(await currentContext(), id, input));
}

export async function setCopyStateAction(id: number, state: unknown): Promise<Result<number>> {
  return refreshIfDone(await setCopyState(await currentContext(), id, state));
}

export async function noteChangeAction(input: unknown): Promise<Result<number>> {
  return refreshIfDone(await noteChange(await currentContext(), input));
}

export async function withdrawChangeAction(id: number): Promise<Result<number>> {
  return refreshIfDone(await withdrawChange(await currentContext(), id));
}
