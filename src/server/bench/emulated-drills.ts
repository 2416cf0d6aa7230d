import { join } from "node:path";
import { eq } from "drizzle-orm";
import { z } from "zod";
import type { FirmwareFacts } from "@/core/computer/facts/schema";
import { loadsReached } from "@/core/judging/model/loads";
import { dayOf } from "@/core/kernel/days";
import type { Context } from "../context";
import type { DrillId, MediumId, ReleaseId } from "../db/ids";
import { computers, devices, drills, jobs, media } from "../db/schema";
import { contentPath } from "../devices/simulated";
import { recordDrill } from "../drills/drills";
import { canEmulate, type Emulated, emulate } from "../host/emulator";
import type { EmulatedFirmware } from "../host/emulator-args";
import type { Lists } from "../host/flash-variables";
import { devicesFolder } from "../host/folders";
import { attachmentOf } from "../inspections/verdicts";
import { getComputer } from "../inventory/computers";
import type { JobKind } from "../jobs/engine";
import { enqueue } from "../jobs/jobs";
import { getMedium } from "../media/media";
import { checked, fail, ok, type Refusal, type Result, refused } from "../problems";
import { releaseFile } from "./library";

/** The emulated firmware that is most like a computer's; null where there is none such. */
function emulatedFirmwareOf({ kind, arch, legacyMode }: FirmwareFacts): EmulatedFirmware | null {
  if (kind === "bios" || legacyMode === "on") return "bios";
  if (kind === "uefi" && arch === "x64") return "uefi-x64";
  if (kind === "uefi" && arch === "ia32") return "uefi-ia32";
  return null;
}

/**
 * Secure Boot of a computer as an emulated one can have it: its recorded lists where it is on. Null where it is off, or
 * on without a recorded list of what it allows. The platform key only says that there is an owner (UEFI 2.10, 32.3):
 * where it is not recorded, another list stands in its place.
 */
function emulatedListsOf({ kind, legacyMode, secureBoot }: FirmwareFacts): Lists | null {
  if (kind !== "uefi" || legacyMode === "on" || secureBoot?.state !== "on" || !secureBoot.db) return null;
  const bytes = (text: string | null) => new Uint8Array(Buffer.from(text ?? "", "base64"));
  return {
    pk: bytes(secureBoot.pk ?? secureBoot.kek ?? secureBoot.db),
    ...{ kek: bytes(secureBoot.kek), db: bytes(secureBoot.db), dbx: bytes(secureBoot.dbx) },
    ...{ sbatLevel: secureBoot.sbatLevel ?? "", enabled: true },
  };
}

function secureBootNote({ secureBoot }: FirmwareFacts, lists: Lists | null, isSwitchedOff: boolean): string {
  if (isSwitchedOff) return "with Secure Boot switched off";
  if (lists) return "with the computer's own Secure Boot lists";
  if (secureBoot?.state === "on") return "without Secure Boot, which is on there, but its lists are not recorded";
  return "without Secure Boot";
}

const NOTES: Record<Emulated["end"], string> = {
  "went-on": "The firmware handed over, and what is on the medium ran on.",
  "gave-up": "The firmware found nothing to start, or what it found did not run.",
  refused: "Secure Boot did not let a loader of the medium run.",
  neither: "In the time it was given, nothing of it was seen to start.",
  died: "The emulator ended by itself.",
};

const wishSchema = z.object({
  medium: z.string().trim().max(60),
  computer: z.string().trim().max(60),
  /** As after that change in the computer's set-up. */
  isSecureBootOff: z.boolean(),
});
type DrillWish = z.output<typeof wishSchema>;

export const EMULATED_DRILL_KIND = "emulated-drill";

/**
 * Begins to start what a medium holds on an emulated computer like the one that is meant; it goes on by itself and takes
 * up to some minutes. Problems: `invalid`, `not-found`, `refused`. Gives the job's id.
 */
export async function startEmulatedDrill(context: Context, input: unknown): Promise<Result<number>> {
  const parsed = checked(wishSchema, input);
  if (!parsed.ok) return parsed;
  const ready = await prepared(context, parsed.value);
  if (!ready.ok) return ready;
  const holds = `emulated drill of ${ready.value.medium} on ${ready.value.computer}`;
  const queued = await enqueue(context, { kind: EMULATED_DRILL_KIND, payload: parsed.value, holds });
  if (queued.ok || queued.problem.code !== "taken") return queued;
  // The same is being done: it is followed.
  const [job] = await context.db.select({ id: jobs.id }).from(jobs).where(eq(jobs.holds, holds));
  return job ? ok(job.id) : queued;
}

/** What an emulated drill came to. */
export type EmulatedDrillEnd = { drill: number } | { refusal: Refusal };

/** One at a time in a process: an emulated computer takes a whole core. Its drill is recorded with the job's result. */
export const emulatedDrillWork: JobKind = {
  isRepeatable: true,
  slots: 1,
  run: async (work): Promise<EmulatedDrillEnd> => {
    // It was recorded by a worker that could not say so any more.
    if (work.job.result !== null) return work.job.result as EmulatedDrillEnd;
    const ready = await prepared(work.context, work.job.payload as DrillWish);
    if (!ready.ok) return { refusal: ready.problem.code === "refused" ? ready.problem.why : { code: "no-emulator" } };
    const { medium, computer, firmware, lists, as, image, note } = ready.value;
    const { end, text, picture } = await emulate(image.path, { firmware, as, lists, signal: work.signal });
    work.check();
    if (end === "died") return { refusal: { code: "emulator-died", lastLine: text.trim().split("\n").at(-1) ?? "" } };
    const recorded = await work.act(async (acting) => {
      const result = end === "went-on" ? "started" : "failed";
      const on = dayOf(acting.now());
      const told = { medium, computer, on, result, note: `${NOTES[end]} ${note}` };
      const drill = await recordDrill(acting, told, { text, picture });
      if (drill.ok) await work.keepResult(acting, { drill: drill.value });
      return drill;
    });
    if (!recorded.ok) throw new Error(recorded.problem.code);
    return { drill: recorded.value };
  },
};

/** Everything that an emulated drill needs, or why it cannot be held. */
async function prepared(context: Context, wish: DrillWish) {
  const { isSecureBootOff } = wish;
  const [medium, computer] = await Promise.all([getMedium(context, wish.medium), getComputer(context, wish.computer)]);
  if (!medium) return fail({ code: "not-found", what: "medium", name: wish.medium });
  if (!computer) return fail({ code: "not-found", what: "computer", name: wish.computer });
  const firmware = emulatedFirmwareOf(computer.facts.firmware);
  if (!firmware) return refused({ code: "no-emulated-firmware", computer: wish.computer }, "computer");
  const lists = isSecureBootOff ? null : emulatedListsOf(computer.facts.firmware);
  if (!canEmulate(firmware, lists)) return refused({ code: "no-emulator" }, "computer");
  // Of several releases the one that this computer would come to.
  const loads = medium.loads.map(({ releaseId, part }) => ({ releaseId, startedBy: part?.startedBy ?? null }));
  const [load] = [...loadsReached(loads, computer.facts, { verdict: "holds", changes: [] }), ...loads];
  const image = await imageOf(context, medium.row.id, load?.releaseId ?? null);
  if (!image) return refused({ code: "nothing-to-emulate", medium: wish.medium }, "medium");
  const from = image.isDevice ? "From what is on the device in its berth." : "From its release's file.";
  return ok({
    ...{ medium: medium.row.tag, computer: computer.row.tag, firmware, lists, image },
    as: attachmentOf(medium.row.kind) ?? "usb",
    note: `${from} Emulated: ${firmware}, ${secureBootNote(computer.facts.firmware, lists, isSecureBootOff)}.`,
  });
}

/** What stands for a medium here: its device's content, else the file of its release. */
async function imageOf(
  context: Context,
  mediumId: MediumId,
  releaseId: ReleaseId | null,
): Promise<{ path: string; isDevice: boolean } | null> {
  const [device] = await context.db
    .select({ simulatedAs: devices.simulatedAs })
    .from(devices)
    .where(eq(devices.mediumId, mediumId));
  if (device?.simulatedAs) return { path: contentPath(join(devicesFolder(), device.simulatedAs)), isDevice: true };
  const file = releaseId === null ? null : await releaseFile(context, releaseId);
  return file && "file" in file ? { path: file.file.path, isDevice: false } : null;
}

export interface DrillView {
  row: Omit<typeof drills.$inferSelect, "evidencePicture">;
  medium: string;
  computer: string;
  hasPicture: boolean;
}

/** A drill with its text; null where there is none. */
export async function getDrill(context: Context, id: DrillId): Promise<DrillView | null> {
  const [found] = await context.db
    .select({ row: drills, medium: media.tag, computer: computers.tag })
    .from(drills)
    .innerJoin(media, eq(media.id, drills.mediumId))
    .innerJoin(computers, eq(computers.id, drills.computerId))
    .where(eq(drills.id, id));
  if (!found) return null;
  const { evidencePicture, ...row } = found.row;
  return { ...found, row, hasPicture: evidencePicture !== null };
}

export async function pictureOf(context: Context, id: DrillId): Promise<Result<Uint8Array>> {
  const [row] = await context.db.select({ picture: drills.evidencePicture }).from(drills).where(eq(drills.id, id));
  return row?.picture ? ok(row.picture) : fail({ code: "not-found", what: "picture" });
}
