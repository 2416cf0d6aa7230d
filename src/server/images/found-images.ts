import { and, eq, inArray, isNull } from "drizzle-orm";
import type { Facts } from "@/core/computer/facts/schema";
import { disksOfImage, partitionsForRecord } from "@/core/images/partitions";
import type { CopiedFile, ReportedImage } from "@/core/images/report";
import type { ImageBody } from "@/core/judging/model/parts";
import { dayOf } from "@/core/kernel/days";
import { problemText } from "../../core/words/problems";
import { act } from "../act";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import type { ScanId, StoreId } from "../db/ids";
import { computerFacts, computers, systemImages } from "../db/schema";
import { recordEvent } from "../inventory/events";
import { fail, ok, type Result } from "../problems";
import { noteCopy, recordImage } from "./images";
import { getScan, knownCopies } from "./store-scans";
import { getStore } from "./stores";

/** Takes over what a scan found of known copies: where they moved to, that they changed, or that they are gone. */
export async function takeOver(context: Context, scanId: ScanId): Promise<Result<number>> {
  const scan = await getScan(context, scanId);
  const report = scan?.report;
  if (!scan || scan.state !== "done" || !report)
    return fail({ code: "not-found", what: "finished look through a store" });
  const copies = await knownCopies(context, scan.storeId);
  const store = await getStore(context, scan.storeId);
  return act(context, null, async ({ db: tx }) => {
    let count = 0;
    const note = async (image: string, state: "there" | "changed" | "missing", files: CopiedFile[] | null) => {
      const copy = copies.find((each) => each.image === image);
      if (!copy) return;
      await noteCopy(tx, context, { imageId: copy.imageId, storeId: scan.storeId, files: files ?? copy.files, state });
      await recordEvent(tx, context, {
        ...{ entity: "image", entityId: copy.imageId, entityTag: image, action: "changed", version: 0 },
        before: { copy: { store: store?.row.name, files: copy.files.map(({ path }) => path) } },
        after: { copy: { store: store?.row.name, files: (files ?? []).map(({ path }) => path), state } },
        note: `scan of ${store?.row.name}`,
      });
      count++;
    };
    for (const { state, files } of report.images) {
      if (state.state === "recognised" && (await noteRecognised(tx, context, scan.storeId, state.image, files)))
        count++;
      // What moved is what it was: its digests hold on.
      if (state.state === "moved") await note(state.image, "there", withDigests(files, copies, state.image));
      if (state.state === "changed") await note(state.image, "changed", files);
    }
    for (const image of report.missing) await note(image, "missing", null);
    return ok(count);
  });
}

/** A copy that was told, or of an image of that name, as it was found. False: there is no such image any more. */
async function noteRecognised(
  tx: Queries,
  context: Context,
  storeId: StoreId,
  image: string,
  files: CopiedFile[],
): Promise<boolean> {
  const [row] = await tx
    .select({ id: systemImages.id })
    .from(systemImages)
    .where(and(eq(systemImages.name, image), isNull(systemImages.deletedAt)));
  if (!row) return false;
  await noteCopy(tx, context, { imageId: row.id, storeId, files, state: "there" });
  await recordEvent(tx, context, {
    ...{ entity: "image", entityId: row.id, entityTag: image, action: "changed", version: 0, before: null },
    after: { copy: { files: files.map(({ path }) => path), state: "there" } },
  });
  return true;
}

function withDigests(
  files: CopiedFile[],
  known: readonly { image: string; files: CopiedFile[] }[],
  image: string,
): CopiedFile[] {
  const name = (path: string) => path.slice(path.lastIndexOf("/") + 1);
  const before = known.find((copy) => copy.image === image)?.files ?? [];
  return files.map((file) => {
    const same = before.find((each) => name(each.path) === name(file.path) && each.bytes === file.bytes);
    return { ...file, sha256: file.sha256 ?? same?.sha256 ?? null };
  });
}

/** What an image's own content says of it for its record, and its computer's disks of its partitions. */
export function bodyOfFound(
  { reading, storedBytes }: ReportedImage,
  facts: Pick<Facts, "disks" | "systems"> | null,
): Partial<ImageBody> {
  const { mode, diskBytes, sectorBytes, usedBytes, compression } = reading;
  const partitions = partitionsForRecord(reading.partitions, facts?.disks ?? null);
  const body = { mode, diskBytes, sectorBytes, usedBytes, compression, storedBytes, partitions };
  const several = facts && disksOfImage(partitions, facts);
  if (!several) return body;
  const { first, disk, more } = several;
  return {
    ...body,
    ...{ diskBytes: disk?.bytes ?? null, sectorBytes: disk?.sectorBytes ?? null },
    ...{ partitions: first, moreDisks: more },
  };
}

/** Registers an image that a scan found, with its copy in that store. Gives the image's id. */
export async function registerFound(
  context: Context,
  scanId: ScanId,
  key: string,
  input: unknown,
): Promise<Result<number>> {
  const scan = await getScan(context, scanId);
  const found = scan?.report?.images.find((image) => image.key === key);
  if (!scan || !found) return fail({ code: "not-found", what: "image in that scan" });
  const on = dayOf(context.now());
  return act(context, null, async (acting) => {
    const recorded = await recordImage(acting, input);
    if (!recorded.ok) return recorded;
    await noteCopy(acting.db, context, {
      ...{ imageId: recorded.value, storeId: scan.storeId, files: found.files, state: "there" },
      verified: found.sumRight === null ? null : { on, whole: found.sumRight },
    });
    return recorded;
  });
}

/** Registers every new image of a scan whose name says its computer and day. Gives how many, and why others were not. */
export async function registerNamed(
  context: Context,
  scanId: ScanId,
  given: { kit: string | null; kitVersion: string | null },
): Promise<Result<{ registered: number; left: string[] }>> {
  const scan = await getScan(context, scanId);
  if (!scan?.report) return fail({ code: "not-found", what: "finished look through a store" });
  const tags = new Map(
    (
      await context.db
        .select({ id: computers.id, tag: computers.tag, make: computers.make, model: computers.model })
        .from(computers)
    ).map((each) => [each.tag.toLowerCase(), each]),
  );
  const fresh = scan.report.images.filter(({ state }) => state.state === "new");
  const factsOf = await factsOfComputers(
    context,
    fresh.flatMap(({ named }) => tags.get(named?.computer?.toLowerCase() ?? "")?.id ?? []),
  );
  const left: string[] = [];
  let registered = 0;
  for (const image of fresh) {
    const computer = tags.get(image.named?.computer?.toLowerCase() ?? "");
    const day = image.named?.date;
    if (!computer || !day) {
      left.push(`${image.name}: its name does not say which computer and day it is of.`);
      continue;
    }
    const body: ImageBody = {
      ...{ make: computer.make, model: computer.model, ...given, mode: null, diskBytes: null, sectorBytes: null },
      ...{ partitions: null, encrypted: null, keyPlace: null, kind: "full", parent: null, verified: null, places: [] },
      ...bodyOfFound(image, factsOf.get(computer.id) ?? null),
      state: image.named?.state ?? null,
    };
    const takenAt = image.modified?.startsWith(day) ? image.modified : `${day}T00:00:00Z`;
    const result = await registerFound(context, scanId, image.key, {
      name: image.name,
      computer: computer.tag,
      takenAt,
      body,
    });
    if (result.ok) registered++;
    else left.push(`${image.name}: ${problemText(result.problem)}`);
  }
  return ok({ registered, left });
}

async function factsOfComputers(context: Context, ids: readonly number[]): Promise<Map<number, Facts>> {
  if (ids.length === 0) return new Map();
  const rows = await context.db
    .select({ id: computerFacts.computerId, facts: computerFacts.facts })
    .from(computerFacts)
    .where(inArray(computerFacts.computerId, [...ids]));
  return new Map(rows.map(({ id, facts }) => [id, facts]));
}
