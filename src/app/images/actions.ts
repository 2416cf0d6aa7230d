"use server";

import { z } from "zod";
import { registerFound } from "@/server/images/found-images";
import { forgetImages, getImage, imageInputOf, recordImage, saveImage } from "@/server/images/images";
import { addCopy, moveCopy, setCopyState } from "@/server/images/told-copies";
import { noteChange, withdrawChange } from "@/server/inventory/noted-changes";
import { fail } from "@/server/problems";
import { action, flag, id, input, version, word } from "../_lib/guard";

const IMAGES_AT_ONCE = 10_000;
const found = z.object({ scanId: id, key: word }).nullable();

/** Registers an image: by hand, or one that a scan found, with its copy. */
export const addImageAction = action("addImage", "technician", [input, found], (context, told, from) =>
  from ? registerFound(context, from.scanId, from.key, told) : recordImage(context, told),
);

export const saveImageAction = action("saveImage", "technician", [id, version, input], saveImage);

/** Says that an image stays whatever a policy says, or not any more. */
export const lockImageAction = action(
  "lockImage",
  "technician",
  [id, version, flag],
  async (context, own, seen, locked) => {
    const detail = await getImage(context, own);
    if (!detail) return fail({ code: "not-found", what: "image" });
    const { body, ...told } = imageInputOf(detail);
    return saveImage(context, own, seen, { ...told, body: { ...body, locked } });
  },
);

export const forgetImagesAction = action("forgetImages", "lead", [z.array(id).max(IMAGES_AT_ONCE)], forgetImages);
export const addCopyAction = action("addCopy", "technician", [id, input], addCopy);
export const moveCopyAction = action("moveCopy", "technician", [id, input], moveCopy);
export const setCopyStateAction = action("setCopyState", "technician", [id, input], setCopyState);
export const noteChangeAction = action("noteChange", "technician", [input], noteChange);
export const withdrawChangeAction = action("withdrawChange", "technician", [id], withdrawChange);
