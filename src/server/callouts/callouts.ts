import { and, asc, desc, eq, getTableColumns, isNotNull, isNull, ne } from "drizzle-orm";
import { z } from "zod";
import { HAPPENINGS } from "@/core/callout/happenings";
import { type Offer, offersFor, type PassedOver, type RefusedWay } from "@/core/callout/offers";
import { type CalloutOutcome, type ChosenRoute, calloutOutcomeSchema } from "@/core/callout/record";
import { type ImageFit, imageFit, largestThatFits, type Shrinking, whatToShrink } from "@/core/callout/replacement";
import { sheetDisk } from "@/core/callout/run-sheet";
import type { GuidedStep } from "@/core/callout/step";
import { calloutSteps } from "@/core/callout/steps";
import type { DiskFacts } from "@/core/computer/facts/schema";
import { type NewDisk, systemDisk, withNewDisk } from "@/core/computer/needs/system-disk";
import { writtenDisk } from "@/core/judging/links/target";
import { restoresSystem, savesFilesOnly } from "@/core/judging/routes/outcome";
import { phasedChanges } from "@/core/judging/routes/phases";
import { dayOf } from "@/core/kernel/days";
import { act } from "../act";
import { replaceDisk } from "../computers/computer-acts";
import type { Context } from "../context";
import type { CalloutId, ComputerId } from "../db/ids";
import { insertedId, nameOf } from "../db/results";
import { callouts, computers } from "../db/schema";
import { recordDrill } from "../drills/drills";
import { type Route, routesOf } from "../fleet/routes";
import { imagesOfComputers } from "../images/images";
import { type ComputerDetail, getComputer } from "../inventory/computers";
import { recordEvent } from "../inventory/events";
import { asKeyCard, keyCardOf } from "../inventory/key-cards";
import { saveVersioned } from "../inventory/versioned";
import { getMedium } from "../media/media";
import { runSheetInput, sheetMedium } from "../media/run-sheets";
import { checked, fail, ok, type Result, refused } from "../problems";
import { timeFactsOf } from "./times";

type CalloutRow = typeof callouts.$inferSelect & { openedBy: string };

const calloutColumns = { ...getTableColumns(callouts), openedBy: nameOf(callouts.openedById) };

const openSchema = z.object({
  computer: z.string().trim().min(1, "Which computer is it? Its tag is needed."),
  happening: z.enum(HAPPENINGS, { error: "What happened?" }),
  since: z.iso
    .date("A day is year, month and day, such as 2026-03-01.")
    .nullish()
    .transform((value) => value ?? null),
});

/** Opens a call-out for a failed computer. Problems: `invalid`, `not-found`. Gives its id. */
export async function openCallout(context: Context, input: unknown): Promise<Result<number>> {
  const parsed = checked(openSchema, input);
  if (!parsed.ok) return parsed;
  const { computer: tag, happening, since } = parsed.value;
  return act(context, { field: "computer", value: tag }, async ({ db: tx }) => {
    const [byTag] = await tx.select().from(computers).where(eq(computers.tag, tag));
    // A name does as well, where it is one computer's alone.
    const named = byTag
      ? []
      : await tx
          .select()
          .from(computers)
          .where(and(eq(computers.name, tag), isNull(computers.retiredAt)))
          .limit(2);
    if (named.length > 1) return refused({ code: "several-called", name: tag }, "computer");
    const computer = byTag ?? named[0];
    if (!computer) return fail({ code: "not-found", what: "computer", name: tag });
    const now = context.now();
    const row = await tx
      .insert(callouts)
      .values({
        computerId: computer.id,
        happening,
        since,
        openedById: context.person.id,
        openedAt: now,
        createdAt: now,
        updatedAt: now,
      })
      .$returningId();
    const id = insertedId(row);
    await recordEvent(tx, context, {
      ...{
        entity: "call-out",
        entityId: id,
        entityTag: computer.tag,
        action: "was called to",
        version: 1,
        before: null,
      },
      after: { computer: computer.tag, happening, since },
    });
    return ok(id);
  });
}

export interface CalloutItem {
  row: CalloutRow;
  computer: string;
  name: string | null;
}

/** Open call-outs, the oldest first, or closed ones, the latest first. */
export async function listCallouts(context: Context, which: "open" | "closed", limit = 100): Promise<CalloutItem[]> {
  const rows = await context.db
    .select({ row: calloutColumns, computer: computers.tag, name: computers.name })
    .from(callouts)
    .innerJoin(computers, eq(computers.id, callouts.computerId))
    .where(which === "open" ? isNull(callouts.closedAt) : isNotNull(callouts.closedAt))
    .orderBy(which === "open" ? asc(callouts.openedAt) : desc(callouts.closedAt))
    .limit(limit);
  return rows;
}

export interface CalloutDetail {
  row: CalloutRow;
  computer: ComputerDetail;
  /** The computer that takes its place; null: it stays. */
  newComputer: ComputerDetail | null;
}

export async function getCallout(context: Context, id: CalloutId): Promise<CalloutDetail | null> {
  const [found] = await context.db
    .select({ row: calloutColumns, tag: computers.tag })
    .from(callouts)
    .innerJoin(computers, eq(computers.id, callouts.computerId))
    .where(eq(callouts.id, id));
  const computer = found && (await getComputer(context, found.tag));
  if (!found || !computer) return null;
  const [other] = found.row.newComputerId
    ? await context.db.select({ tag: computers.tag }).from(computers).where(eq(computers.id, found.row.newComputerId))
    : [];
  return { row: found.row, computer, newComputer: other ? await getComputer(context, other.tag) : null };
}

/** What is written to: the computer that takes the old one's place, or the old one with its disk as it will be. */
function targetOf({ row, computer, newComputer }: CalloutDetail): {
  detail: ComputerDetail;
  toldDisk: string | null;
  oldDisk: DiskFacts | null;
} {
  const judged = newComputer ?? computer;
  if (!row.newDisk) return { detail: judged, toldDisk: null, oldDisk: null };
  const { facts, told, old } = withNewDisk(judged.facts, row.newDisk);
  return { detail: { ...judged, facts }, toldDisk: told, oldDisk: old };
}

/** The call-out of a computer that is down; null where it is not. */
export async function openCalloutOf({ db }: Context, computerId: ComputerId): Promise<CalloutId | null> {
  const [open] = await db
    .select({ id: callouts.id })
    .from(callouts)
    .where(and(eq(callouts.computerId, computerId), isNull(callouts.closedAt)))
    .orderBy(asc(callouts.id))
    .limit(1);
  return open?.id ?? null;
}

export interface CalloutOffers {
  offers: Offer<Route>[];
  passedOver: PassedOver[];
  /** Ways that make sense and do not go, with the link that rules them out. */
  refused: RefusedWay<Route>[];
  /** The steps of the best offer. */
  bestSteps: GuidedStep[];
  /** Where nothing recovers the computer: others at its place that are not out of order, to make a medium on. */
  healthy: string[];
}

const HEALTHY_MOST = 3;

/** Computers at the same place without an open call-out. */
async function healthyBeside(context: Context, { row }: ComputerDetail): Promise<string[]> {
  if (row.siteId === null) return [];
  const rows = await context.db
    .select({ tag: computers.tag })
    .from(computers)
    .leftJoin(callouts, and(eq(callouts.computerId, computers.id), isNull(callouts.closedAt)))
    .where(
      and(eq(computers.siteId, row.siteId), ne(computers.id, row.id), isNull(computers.retiredAt), isNull(callouts.id)),
    )
    .orderBy(asc(computers.tag))
    .limit(HEALTHY_MOST);
  return rows.map(({ tag }) => tag);
}

/** The ways to bring the computer back after what happened, the best first. */
export async function offersOf(context: Context, detail: CalloutDetail): Promise<CalloutOffers> {
  const { row, computer, newComputer } = detail;
  const target = targetOf(detail);
  const imagesOf = newComputer ? computer.row.tag : null;
  const [routes, known] = await Promise.all([
    routesOf(context, target.detail, {
      ...{ imagesOf, toldDisk: target.toldDisk, oldDisk: target.oldDisk },
      onTheDay: true,
    }),
    timeFactsOf(context, { computer: target.detail, imagesOf: row.computerId }),
  ]);
  const found = offersFor(routes, {
    ...known,
    ...{ happening: row.happening, since: row.since, today: dayOf(context.now()), oldDisk: target.oldDisk },
    targetBus: writtenDisk({ facts: target.detail.facts, toldDisk: target.toldDisk }, [])?.bus ?? null,
  });
  const isRecovered = found.offers.some(({ outcome }) => !savesFilesOnly(outcome));
  const [best] = found.offers;
  return {
    ...found,
    bestSteps: best ? await stepsFor(context, detail, chosenFrom(best)) : [],
    healthy: isRecovered ? [] : await healthyBeside(context, computer),
  };
}

export interface ReplacementView {
  disk: NewDisk;
  old: DiskFacts | null;
  fits: { image: string; takenAt: string; diskBytes: number | null; fit: ImageFit }[];
  largest: string | null;
  shrinking: Shrinking | null;
}

/** How the computer's images go onto its new disk; null where none was told. */
export async function replacementOf(
  context: Context,
  { row, computer }: CalloutDetail,
): Promise<ReplacementView | null> {
  const { newDisk: disk } = row;
  if (!disk) return null;
  const images = await imagesOfComputers(context, [row.computerId]);
  const fitting = images.map(({ point, body }) => ({
    ...{ id: point.id, takenAt: point.takenAt },
    ...{ diskBytes: body.diskBytes, sectorBytes: body.sectorBytes },
  }));
  const old = systemDisk(computer.facts);
  return {
    ...{ disk, old },
    fits: fitting
      .sort((a, b) => b.takenAt.localeCompare(a.takenAt))
      .map((image) => ({
        image: image.id,
        takenAt: image.takenAt,
        diskBytes: image.diskBytes,
        fit: imageFit(image, disk),
      })),
    largest: largestThatFits(fitting, disk)?.id ?? null,
    // A disk that is gone cannot be made smaller any more.
    shrinking: old && row.happening !== "disk-gone" && disk.bytes < old.bytes ? whatToShrink(old, disk) : null,
  };
}

type WorkedOn = Partial<Pick<CalloutRow, "newDisk" | "newComputerId" | "chosen" | "outcome" | "closedAt">>;

/** What is told of a call-out in the log; `was` as it is recorded now. */
async function change(
  context: Context,
  { row, computer }: CalloutDetail,
  set: WorkedOn,
  { was, is }: { was: Record<string, unknown>; is: Record<string, unknown> },
  action: "worked on" | "handed back" = "worked on",
): Promise<Result<number>> {
  return act(context, null, ({ db: tx }) =>
    saveVersioned(tx, context, callouts, {
      ...{ entity: "call-out", id: row.id, version: row.version, tag: computer.row.tag, action },
      ...{ set, before: was, after: is },
    }),
  );
}

const routeTold = (chosen: ChosenRoute | null) =>
  chosen && [chosen.medium, chosen.outcome, chosen.image?.name].filter(Boolean).join(", ");

/** What disks for computers are made as, with room for what comes. Common practice. */
const [DISK_LEAST_BYTES, DISK_MOST_BYTES] = [4e9, 200e12];

const newDiskSchema = z.object({
  bytes: z
    .number({ error: "A size is such as “480 GB”." })
    .int()
    .min(DISK_LEAST_BYTES, "Too small for a disk. Enter a size such as “480 GB” or “1 TB”.")
    .max(DISK_MOST_BYTES, "Too large for a disk. Enter a size such as “480 GB” or “1 TB”."),
  sectorBytes: z.union([z.literal(512), z.literal(4096)]).nullable(),
  bus: z.string().max(20).nullable(),
});

/** Says which disk takes the place of the old one; null: the old one stays. The way has to be chosen anew. */
export async function setNewDisk(context: Context, id: CalloutId, input: unknown): Promise<Result<number>> {
  const parsed = checked(z.object({ disk: newDiskSchema.nullable() }), { disk: input });
  if (!parsed.ok) return parsed;
  const detail = await getCallout(context, id);
  if (!detail) return fail({ code: "not-found", what: "call-out" });
  const { newDisk, chosen } = detail.row;
  return change(
    context,
    detail,
    { newDisk: parsed.value.disk, chosen: null },
    { was: { newDisk, route: routeTold(chosen) }, is: { newDisk: parsed.value.disk, route: null } },
  );
}

/** Says which computer takes the place of the old one, by its tag; empty: the old one stays. The way has to be chosen anew. */
export async function setNewComputer(context: Context, id: CalloutId, tag: string): Promise<Result<number>> {
  const detail = await getCallout(context, id);
  if (!detail) return fail({ code: "not-found", what: "call-out" });
  const other = tag.trim() === "" ? null : await getComputer(context, tag.trim());
  if (tag.trim() !== "" && !other) return fail({ code: "not-found", what: "computer", name: tag });
  if (other?.row.id === detail.row.computerId) return refused({ code: "same-computer" }, "computer");
  const set = { newComputerId: other?.row.id ?? null, chosen: null };
  return change(context, detail, set, {
    was: { newComputer: detail.newComputer?.row.tag ?? null, route: routeTold(detail.row.chosen) },
    is: { newComputer: other?.row.tag ?? null, route: null },
  });
}

/** A way as it is kept once it is chosen. */
function chosenFrom({ route, outcome, seconds, times, lostDays, lost }: Offer<Route>): ChosenRoute {
  const image = route.outcome?.image ?? null;
  const drivers = route.links.sees.changes.flatMap(({ setting, to }) =>
    setting === "driver" && to ? [String(to)] : [],
  );
  return {
    ...{
      medium: route.medium,
      as: route.as,
      release: route.release,
      outcome,
      starts: route.links.starts,
      drivers,
      changes: phasedChanges(route),
      seconds,
      restoreSeconds: times.restoring,
      times,
      lostDays,
      lost,
    },
    image: image && {
      name: image.id,
      takenAt: image.takenAt,
      places: image.places,
      keyPlace: image.keyPlace,
    },
  };
}

/** Takes a way from those that are offered: its steps are made from what is known now, and stay. */
export async function chooseRoute(
  context: Context,
  id: CalloutId,
  wanted: { medium: string; outcome: string; image: string | null; release: string | null },
): Promise<Result<number>> {
  const detail = await getCallout(context, id);
  if (!detail) return fail({ code: "not-found", what: "call-out" });
  if (detail.row.closedAt) return refused({ code: "callout-closed" });
  const { offers } = await offersOf(context, detail);
  const offer = offers.find(
    ({ route, outcome, image }) =>
      route.medium === wanted.medium &&
      outcome === wanted.outcome &&
      image === wanted.image &&
      route.release === wanted.release,
  );
  if (!offer) return refused({ code: "route-not-offered" });
  const chosen = chosenFrom(offer);
  return change(
    context,
    detail,
    { chosen },
    { was: { route: routeTold(detail.row.chosen) }, is: { route: routeTold(chosen) } },
  );
}

/** Of call-outs from before only what giving back takes was kept. */
const NO_OTHERS = { fetching: { low: 0, likely: 0, high: 0 }, starting: null, finishing: null };

/** The steps of the way that was chosen; null where none was. */
export async function stepsOf(context: Context, detail: CalloutDetail): Promise<GuidedStep[] | null> {
  return detail.row.chosen && stepsFor(context, detail, detail.row.chosen);
}

async function stepsFor(context: Context, detail: CalloutDetail, chosen: ChosenRoute): Promise<GuidedStep[]> {
  const { row, computer } = detail;
  const [medium, card] = await Promise.all([
    getMedium(context, chosen.medium),
    keyCardOf(context, (detail.newComputer ?? computer).row.make, (detail.newComputer ?? computer).row.model),
  ]);
  const { detail: judged, toldDisk, oldDisk } = targetOf(detail);
  const target = writtenDisk({ facts: judged.facts, toldDisk }, chosen.changes ?? []);
  return calloutSteps({
    ...runSheetInput(judged, sheetMedium(chosen.medium, medium), chosen, asKeyCard(card)),
    gives: {
      ...{ outcome: chosen.outcome, release: chosen.release, image: chosen.image },
      ...{
        drivers: chosen.drivers,
        times: chosen.times ?? (chosen.restoreSeconds ? { ...NO_OTHERS, restoring: chosen.restoreSeconds } : null),
        happening: row.happening,
        isTargetNew: toldDisk !== null,
        oldDisk: oldDisk && sheetDisk(oldDisk),
      },
      imageDays: chosen.lostDays,
      isImageOfAnother: detail.newComputer !== null,
      target: target && sheetDisk(target),
    },
  });
}

/** How it ended, and the new disk that was fitted, so that the dead one does not stay in the facts. */
const closingSchema = calloutOutcomeSchema.extend({
  fitted: z
    .object({ model: z.string().trim().max(200).nullable(), serial: z.string().trim().max(200).nullable() })
    .nullish(),
});

async function recordFitted(
  acting: Context,
  { row: { newDisk }, computer }: CalloutDetail,
  cameBack: CalloutOutcome["cameBack"],
  { model, serial }: { model: string | null; serial: string | null },
): Promise<Result<number>> {
  const index = computer.facts.disks?.findIndex((disk) => disk === systemDisk(computer.facts)) ?? -1;
  if (!newDisk || index < 0) return refused({ code: "no-disk-to-replace" });
  const { bytes, sectorBytes, bus } = newDisk;
  // What came back on it is not known partition by partition, unless it is a copy.
  const isEmpty = cameBack === "not-back" || !restoresSystem(cameBack);
  const content = cameBack === "copy" ? "as-before" : isEmpty ? "empty" : "not-recorded";
  const disk = { index, bytes, sectorBytes, bus, model: model || null, serial: serial || null, content };
  return replaceDisk(acting, computer.row.id, computer.row.version, disk);
}

/**
 * Closes a call-out with how it ended. A medium that was used is proven by it, or said to have failed. Problems:
 * `invalid`, `not-found`, `stale`.
 */
export async function closeCallout(context: Context, id: CalloutId, input: unknown): Promise<Result<number>> {
  const parsed = checked(closingSchema, input);
  if (!parsed.ok) return parsed;
  const detail = await getCallout(context, id);
  if (!detail) return fail({ code: "not-found", what: "call-out" });
  if (detail.row.closedAt) return refused({ code: "callout-closed" });
  const { fitted, ...outcome } = parsed.value;
  const { chosen } = detail.row;
  const fields = Object.keys(outcome);
  return act(context, null, async (acting) => {
    const closed = await change(
      acting,
      detail,
      { outcome, closedAt: context.now() },
      { was: Object.fromEntries(fields.map((field) => [field, null])), is: { ...outcome } },
      "handed back",
    );
    if (!closed.ok) return closed;
    if (fitted) {
      const recorded = await recordFitted(acting, detail, outcome.cameBack, fitted);
      if (!recorded.ok) return recorded;
    }
    if (!chosen || outcome.mediumWorked === null) return closed;
    // What worked in earnest is the best drill there is.
    const whole = outcome.cameBack !== "not-back" && restoresSystem(outcome.cameBack);
    const drilled = await recordDrill(acting, {
      ...{
        medium: chosen.medium,
        computer: (detail.newComputer ?? detail.computer).row.tag,
        on: dayOf(context.now()),
      },
      result: outcome.mediumWorked ? (whole ? "restored" : "started") : "failed",
      note: `Call-out ${id}`,
    });
    return drilled.ok ? closed : drilled;
  });
}
