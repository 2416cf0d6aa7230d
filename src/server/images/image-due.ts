import { and, eq, inArray, isNotNull, isNull, sql } from "drizzle-orm";
import type { PolicySubject } from "@/core/cover/policy";
import {
  type ComputerEvent,
  type ImageDue,
  imageDue,
  type NotedChange,
  rankImagesDue,
  USUAL_IMAGE_DAYS,
} from "@/core/images/due";
import type { StoredPoint } from "@/core/images/lineage";
import { restoresSystem } from "@/core/judging/routes/outcome";
import { dayOf } from "@/core/kernel/days";
import type { Context } from "../context";
import type { ComputerId } from "../db/ids";
import { callouts, computers, events, imageCopies, notedChanges, sites, systemImages } from "../db/schema";
import { loadPolicies } from "../inventory/policies";

/** Images as points in time, with no more of them than their lineage asks for: of one computer, or all (null). */
async function pointsOf(context: Context, computerId: ComputerId | null): Promise<Map<number, StoredPoint[]>> {
  const [rows, copies] = await Promise.all([
    context.db
      .select({
        rowId: systemImages.id,
        computerId: systemImages.computerId,
        id: systemImages.name,
        computer: computers.tag,
        takenAt: systemImages.takenAt,
        kind: systemImages.kind,
        parent: systemImages.parent,
        verifiedOn: systemImages.verifiedOn,
        verifiedWhole: systemImages.verifiedWhole,
        places: sql<number>`COALESCE(JSON_LENGTH(${systemImages.body}, '$.places'), 0)`,
      })
      .from(systemImages)
      .innerJoin(computers, eq(computers.id, systemImages.computerId))
      .where(
        and(isNull(systemImages.deletedAt), computerId === null ? undefined : eq(systemImages.computerId, computerId)),
      ),
    context.db
      .select({
        imageId: imageCopies.imageId,
        on: sql<string | null>`MAX(${imageCopies.verifiedOn})`,
        whole: sql<number | null>`MAX(${imageCopies.verifiedWhole})`,
      })
      .from(imageCopies)
      .where(eq(imageCopies.state, "there"))
      .groupBy(imageCopies.imageId),
  ]);
  const byImage = new Map(copies.map((each) => [each.imageId, each]));
  const points = new Map<number, StoredPoint[]>();
  for (const { rowId, computerId, verifiedOn, verifiedWhole, places, takenAt, kind, ...row } of rows) {
    const copy = byImage.get(rowId);
    const on = copy?.on ?? verifiedOn;
    const whole = copy?.on ? Number(copy.whole) === 1 : verifiedWhole === "1" || verifiedWhole === "true";
    const point: StoredPoint = {
      ...row,
      takenAt: takenAt.toISOString(),
      kind: (kind ?? "full") as StoredPoint["kind"],
      verified: on === null ? null : { on, whole },
      isThere: copy !== undefined || Number(places) > 0,
    };
    points.set(computerId, [...(points.get(computerId) ?? []), point]);
  }
  return points;
}

/** When the systems or disks of some computers were last recorded otherwise than before. */
async function eventsOf(context: Context, ids: readonly number[]): Promise<Map<number, ComputerEvent[]>> {
  const found = new Map<number, ComputerEvent[]>();
  if (ids.length === 0) return found;
  const changed = (path: string) =>
    sql`JSON_EXTRACT(${events.before}, ${path}) <> JSON_EXTRACT(${events.after}, ${path})`;
  const rows = await context.db
    .select({
      id: events.entityId,
      system: sql<string | null>`MAX(CASE WHEN ${changed("$.systems")} THEN ${events.at} END)`,
      disk: sql<string | null>`MAX(CASE WHEN ${events.action} = 'replaced a disk of' THEN ${events.at} END)`,
    })
    .from(events)
    .where(and(eq(events.entity, "computer"), inArray(events.entityId, [...ids])))
    .groupBy(events.entityId);
  const handedBack = await context.db
    .select({ computerId: callouts.computerId, closedAt: callouts.closedAt, outcome: callouts.outcome })
    .from(callouts)
    .where(and(isNotNull(callouts.closedAt), inArray(callouts.computerId, [...ids])));
  for (const { id, system, disk } of rows) {
    const at = (time: string) => new Date(`${time.replace(" ", "T").replace(/Z?$/, "")}Z`).toISOString();
    const ofComputer: ComputerEvent[] = [];
    if (system) ofComputer.push({ at: at(system), code: "system-changed" });
    if (disk) ofComputer.push({ at: at(disk), code: "disk-replaced" });
    if (ofComputer.length > 0) found.set(id, ofComputer);
  }
  for (const { computerId, closedAt, outcome } of handedBack) {
    const cameBack = outcome?.cameBack;
    if (!closedAt || !cameBack || cameBack === "not-back" || !restoresSystem(cameBack)) continue;
    found.set(computerId, [...(found.get(computerId) ?? []), { at: closedAt.toISOString(), code: "restored" }]);
  }
  return found;
}

/** Changes that were noted and not withdrawn, by computer: of one, or all (null). */
async function notedOf(context: Context, computerId: ComputerId | null): Promise<Map<number, NotedChange[]>> {
  const rows = await context.db
    .select({ computerId: notedChanges.computerId, on: notedChanges.on, what: notedChanges.what })
    .from(notedChanges)
    .where(
      and(isNull(notedChanges.withdrawnAt), computerId === null ? undefined : eq(notedChanges.computerId, computerId)),
    );
  const noted = new Map<number, NotedChange[]>();
  for (const { computerId, on, what } of rows) noted.set(computerId, [...(noted.get(computerId) ?? []), { on, what }]);
  return noted;
}

export interface DueItem extends ImageDue {
  id: ComputerId;
  name: string | null;
  site: string | null;
}

/** Computers in service whose image is due, whoever has least first; at most `limit`, with how many there are. */
export async function listDue(
  context: Context,
  limit = 100,
): Promise<{ items: DueItem[]; total: number; mostDays: number }> {
  const policies = await loadPolicies(context.db);
  const all = await allDue(context, (subject) => policies.of(subject).values.imageDays);
  const mostDays = policies.of({ tag: "", site: null, form: null, make: null, model: null }).values.imageDays;
  return { items: all.slice(0, limit), total: all.length, mostDays: mostDays ?? USUAL_IMAGE_DAYS };
}

/** Every computer whose image is due; how old one may be is asked for each. */
export async function allDue(
  context: Context,
  mostDaysOf: (subject: PolicySubject) => number | null,
): Promise<DueItem[]> {
  const today = dayOf(context.now());
  const [rows, points, noted] = await Promise.all([
    context.db
      .select({
        ...{ id: computers.id, tag: computers.tag, name: computers.name, site: sites.name },
        ...{ form: computers.form, make: computers.make, model: computers.model },
      })
      .from(computers)
      .leftJoin(sites, eq(sites.id, computers.siteId))
      .where(isNull(computers.retiredAt)),
    pointsOf(context, null),
    notedOf(context, null),
  ]);
  const happened = await eventsOf(context, [...points.keys()]);
  const byTag = new Map(rows.map((row) => [row.tag, row]));
  const due = rankImagesDue(
    rows.map(({ id, ...subject }) =>
      imageDue(subject.tag, points.get(id) ?? [], happened.get(id) ?? [], {
        ...{ today, noted: noted.get(id) ?? [], mostDays: mostDaysOf(subject) ?? Number.POSITIVE_INFINITY },
      }),
    ),
  );
  return due.map((each) => {
    const { id = 0, name = null, site = null } = byTag.get(each.computer) ?? {};
    return { ...each, id, name, site };
  });
}

/** Why an image of one computer is due, as `allDue` tells of all; null where none is. */
export async function imageDueOf(context: Context, id: ComputerId, subject: PolicySubject): Promise<ImageDue | null> {
  const [points, noted, happened, policies] = await Promise.all([
    pointsOf(context, id),
    notedOf(context, id),
    eventsOf(context, [id]),
    loadPolicies(context.db),
  ]);
  const mostDays = policies.of(subject).values.imageDays ?? Number.POSITIVE_INFINITY;
  const known = { today: dayOf(context.now()), noted: noted.get(id) ?? [], mostDays };
  const [due = null] = rankImagesDue([
    imageDue(subject.tag, points.get(id) ?? [], points.has(id) ? (happened.get(id) ?? []) : [], known),
  ]);
  return due;
}
