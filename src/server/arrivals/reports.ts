import { createHash } from "node:crypto";
import { promisify } from "node:util";
import { gunzip, gzip } from "node:zlib";
import { and, eq, isNull, or, sql } from "drizzle-orm";
import { z } from "zod";
import { gather, readDocument } from "@/core/computer/collect/read";
import {
  IDENTITY_KINDS,
  type Identity,
  identityKey,
  identityOf,
  joinedIdentity,
  recognised,
  valuesOf,
} from "@/core/computer/facts/identity";
import { applyMerge, NO_PROVENANCE, type Observation, observationSchema } from "@/core/computer/facts/merge";
import { firmwareChanges } from "@/core/computer/facts/reported";
import type { Facts } from "@/core/computer/facts/schema";
import { reportedText } from "@/core/words/reports";
import { act } from "../act";
import { takeInFacts } from "../computers/computer-acts";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import type { ArrivalId, ComputerId, SiteId, TokenId } from "../db/ids";
import { arrivalMarks, arrivals, computers, reportedChanges } from "../db/schema";
import { shiftOfMedia } from "../inspections/verdicts";
import { type ComputerDetail, getComputer } from "../inventory/computers";
import { recordEvent } from "../inventory/events";
import { ok, type Result, refused } from "../problems";
import { candidatesFor } from "./candidates";

/** What became of a report. */
export interface ReportAnswer {
  /** Taken in; nothing new in it; it waits for somebody to decide; somebody decided that it is none of ours. */
  state: "taken" | "same" | "waiting" | "dismissed";
  tag: string | null;
}

/** Who sends a report, and of what it may be. */
export interface Reporter {
  tokenId: TokenId;
  site: { id: number; name: string } | null;
  /** The one computer that it may be of, by tag. */
  computer: string | null;
  origin: string | null;
}

interface Report {
  observation: Observation;
  facts: Facts;
  identity: Identity;
}

/** Facts that a computer sent of itself, as its collector wrote them. Problems: `report-unreadable`. */
function readReport(bytes: Uint8Array, at: Date): Result<Report> {
  const reading = readDocument({ name: "report.json", bytes, at: at.toISOString() });
  if (!reading.ok) return refused({ code: "report-unreadable", problem: reading.problem });
  if (reading.kind !== "facts" && reading.kind !== "cim")
    return refused({ code: "report-unreadable", problem: { code: "json-of-another-kind" } });
  const { observation } = reading;
  const { facts } = applyMerge(null, NO_PROVENANCE, [observation], {});
  return ok({ observation, facts, identity: identityOf(facts) });
}

/** Reports of one computer at once, and of people who edit it meanwhile: each sees what the one before it left. */
const ATTEMPTS = 6;

/**
 * Takes a computer's report: into the computer that it is of beyond doubt, or among those that wait for somebody to decide.
 * A report that comes again changes nothing. Problems: `report-unreadable`, `facts-of-another`, `too-many-waiting`.
 */
export async function takeReport(context: Context, from: Reporter, bytes: Uint8Array): Promise<Result<ReportAnswer>> {
  const report = readReport(bytes, context.now());
  if (!report.ok) return report;
  for (let attempt = 1; ; attempt++) {
    const taken = await takeOnce(context, from, report.value);
    if (taken.ok || taken.problem.code !== "stale" || attempt === ATTEMPTS) return taken;
  }
}

async function takeOnce(context: Context, from: Reporter, report: Report): Promise<Result<ReportAnswer>> {
  const target = await targetOf(context, from, report);
  if (!target.ok) return target;
  if (target.value.computer) return takeInto(context, target.value.computer, [report.observation]);
  return keepWaiting(context, from, report, target.value.key);
}

/** The recorded computer that a report is of; null where that is not beyond doubt. */
async function targetOf(
  context: Context,
  from: Reporter,
  { identity, facts }: Report,
): Promise<Result<{ computer: ComputerDetail | null; key: string }>> {
  const key = keyOf(identity, facts);
  const [candidates = []] = await candidatesFor(context.db, [identity]);
  if (from.computer !== null) {
    const own = await getComputer(context, from.computer);
    if (!own || own.row.retiredAt) return refused({ code: "not-in-service", what: "computer", tag: from.computer });
    const other = recognised({ ...identity, tag: null }, candidates);
    const told = other && other.id !== own.row.id ? other.tag : otherTag(facts, own);
    return told === null ? ok({ computer: own, key }) : refused({ code: "facts-of-another", told, tag: own.row.tag });
  }
  const decided = await arrivalOf(context.db, key, identity);
  const accepted = decided?.state === "accepted" ? decided.computerId : null;
  const found = recognised(identity, candidates)?.id ?? accepted;
  const computer = found === null ? null : await inService(context, found);
  // A token of one site tells of computers there; where one of another site reports, somebody has to say what that means.
  const isElsewhere = computer !== null && from.site !== null && computer.row.siteId !== from.site.id;
  return ok({ computer: isElsewhere ? null : computer, key });
}

const otherTag = ({ computer: { tag } }: Facts, { row }: ComputerDetail): string | null =>
  tag !== null && tag.toLowerCase() !== row.tag.toLowerCase() ? tag : null;

async function inService(context: Context, id: ComputerId): Promise<ComputerDetail | null> {
  const [row] = await context.db
    .select({ tag: computers.tag })
    .from(computers)
    .where(and(eq(computers.id, id), isNull(computers.retiredAt)));
  return row ? getComputer(context, row.tag) : null;
}

/** What a report is known by when it comes again; one that tells nothing of the kind by its content, but for the time. */
function keyOf(identity: Identity, facts: Facts): string {
  const text = identityKey(identity) ?? `facts ${JSON.stringify({ ...facts, collected: null })}`;
  return createHash("sha256").update(text).digest("hex");
}

const NOTE_LETTERS = 300;

/** Merges a report into its computer, and tells what that changes of the media that start it. */
export async function takeInto(
  context: Context,
  before: ComputerDetail,
  observations: readonly Observation[],
): Promise<Result<ReportAnswer>> {
  const { tag, id, version } = before.row;
  return act<ReportAnswer>(context, null, async (acting) => {
    const input = { tag, observations: gather([...observations]), choices: {} };
    const taken = await takeInFacts(acting, input, version);
    if (!taken.ok) return taken;
    const after = await getComputer(acting, tag);
    if (!after || after.row.version === version) return ok({ state: "same", tag });
    const shifts = await shiftOfMedia(acting, before.facts, after.facts);
    if (shifts.length === 0) return ok({ state: "taken", tag });
    const told = { changes: firmwareChanges(before.facts, after.facts), shifts };
    await acting.db.insert(reportedChanges).values({ computerId: id, at: acting.now(), told });
    await recordEvent(acting.db, acting, {
      ...{ entity: "computer", entityId: id, entityTag: tag, version: after.row.version },
      ...{ action: "reported a change of", before: null, after: { ...told } },
      note: reportedText(tag, told).slice(0, NOTE_LETTERS),
    });
    return ok({ state: "taken", tag });
  });
}

async function keepWaiting(
  context: Context,
  from: Reporter,
  { observation, facts, identity }: Report,
  key: string,
): Promise<Result<ReportAnswer>> {
  const now = context.now();
  const { tag, make, model, serial } = facts.computer;
  const told = {
    ...{ tokenId: from.tokenId, siteId: (from.site?.id ?? null) as SiteId | null, identity },
    ...{ tag, make, model, serial, system: facts.systems?.[0]?.name ?? null },
    ...{ lastAt: now, origin: from.origin?.slice(0, 64) ?? null },
  };
  return act(context, null, async ({ db: tx }) => {
    const known = await arrivalOf(tx, key, identity);
    if (!known && (await tx.$count(arrivals, eq(arrivals.state, "waiting"))) >= WAITING_MOST)
      return refused({ code: "too-many-waiting", most: WAITING_MOST });
    const earlier = known ? await unpackObservations(known.body) : [];
    const body = await packObservations(together(earlier, observation));
    const set = {
      ...Object.fromEntries(Object.entries(told).filter(([, value]) => value !== null)),
      body,
      reports: sql`${arrivals.reports} + 1`,
      // One that was accepted and is of nobody any more waits again; one that is none of ours stays that.
      state: sql`IF(${arrivals.state} = 'accepted', 'waiting', ${arrivals.state})`,
    };
    if (known) {
      const joined = joinedIdentity(known.identity, identity);
      await tx
        .update(arrivals)
        .set({ ...set, identity: joined })
        .where(eq(arrivals.id, known.id));
    } else
      await tx
        .insert(arrivals)
        .values({ ...told, body, key, state: "waiting", firstAt: now })
        .onDuplicateKeyUpdate({ set });
    const row = known ?? (await arrivalOf(tx, key, identity));
    if (row) await keepMarks(tx, row.id, identity);
    return ok({ state: row?.state === "dismissed" ? ("dismissed" as const) : ("waiting" as const), tag: null });
  });
}

/** Computers that wait, at most: who has a token and makes some up fills no more than this. */
const WAITING_MOST = 50_000;

type Arrival = Pick<typeof arrivals.$inferSelect, "id" | "state" | "computerId" | "identity" | "body">;

const ARRIVAL = {
  ...{ id: arrivals.id, state: arrivals.state, computerId: arrivals.computerId, identity: arrivals.identity },
  body: arrivals.body,
};
const MARK_LETTERS = 190;

const marksOf = (identity: Identity) =>
  IDENTITY_KINDS.flatMap((kind) =>
    valuesOf(identity, kind).map((value) => ({ kind, value: value.slice(0, MARK_LETTERS) })),
  );

/** What was kept of the same computer: by the same key, or by what it told then, where that is beyond doubt. */
async function arrivalOf(tx: Queries, key: string, identity: Identity): Promise<Arrival | null> {
  const [same] = await tx.select(ARRIVAL).from(arrivals).where(eq(arrivals.key, key));
  if (same) return same;
  const marks = marksOf(identity);
  if (marks.length === 0) return null;
  const rows = await tx
    .selectDistinct(ARRIVAL)
    .from(arrivalMarks)
    .innerJoin(arrivals, eq(arrivals.id, arrivalMarks.arrivalId))
    .where(or(...marks.map(({ kind, value }) => and(eq(arrivalMarks.kind, kind), eq(arrivalMarks.value, value)))))
    .limit(ARRIVALS_ALIKE);
  return recognised(identity, rows);
}

const ARRIVALS_ALIKE = 20;

async function keepMarks(tx: Queries, arrivalId: ArrivalId, identity: Identity): Promise<void> {
  const marks = marksOf(identity).map((mark) => ({ arrivalId, ...mark }));
  if (marks.length === 0) return;
  await tx.insert(arrivalMarks).values(marks).onDuplicateKeyUpdate({ set: { arrivalId } });
}

/** Reports of one computer that are kept: each tells something that a later one does not. */
const REPORTS_KEPT = 4;

/** Earlier reports that say more than this one, in part, and this one. */
function together(earlier: readonly Observation[], latest: Observation): Observation[] {
  const paths = new Set(latest.values.map(([path]) => path));
  const saysMore = earlier.filter(({ values }) => values.some(([path]) => !paths.has(path)));
  return [...saysMore, latest].slice(-REPORTS_KEPT);
}

async function packObservations(observations: readonly Observation[]): Promise<Uint8Array> {
  return new Uint8Array(await promisify(gzip)(JSON.stringify(observations)));
}

/** What was told, as it was kept, the latest at the end. */
export async function unpackObservations(body: Uint8Array): Promise<Observation[]> {
  return z.array(observationSchema).parse(JSON.parse((await promisify(gunzip)(body)).toString("utf8")));
}
