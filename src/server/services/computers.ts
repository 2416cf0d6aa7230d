import { and, asc, eq, inArray, isNotNull, isNull, like, or, type SQL, sql } from "drizzle-orm";
import { z } from "zod";
import type { Verdict } from "@/core/chain/schema";
import { startProfile } from "@/core/facts/profile";
import { FACTS_SCHEMA, type Facts, factsSchema } from "@/core/facts/schema";
import type { Context } from "../context";
import type { Queries } from "../db/client";
import { computers, disks, sites } from "../db/schema";
import { checked, fail, ok, type Result } from "../problems";
import { difference, recordEvent } from "./events";
import { coverOfProfiles, type ProfileCover } from "./verdicts";
import { changing, retire, saveVersioned } from "./versioned";

const blankToNull = (value: string | null | undefined) =>
  value === undefined || value === null || value.trim() === "" ? null : value.trim();

export const tagSchema = z
  .string()
  .trim()
  .min(1, "A tag is needed: it is what is printed on the thing.")
  .max(60, "A tag has at most 60 characters.")
  .regex(
    /^[\p{L}\p{N}._-]+$/u,
    "A tag has letters, digits, dots, dashes and underscores only, so that it can be printed as a code.",
  );

export const computerInputSchema = z.object({
  tag: tagSchema,
  name: z.string().max(120, "A name has at most 120 characters.").nullish().transform(blankToNull),
  siteId: z.number().int().nullable(),
  note: z.string().max(4000, "A note has at most 4,000 characters.").nullish().transform(blankToNull),
  facts: factsSchema,
});
export type ComputerInput = z.infer<typeof computerInputSchema>;

export type ComputerRow = typeof computers.$inferSelect;

export interface ComputerDetail {
  row: Omit<ComputerRow, "facts">;
  siteName: string | null;
  facts: Facts;
}

/** The columns that a computer's input fills. */
function columnsOf(input: ComputerInput) {
  const { disks: _disks, ...rest } = input.facts;
  const facts = { ...rest, computer: { ...rest.computer, tag: input.tag } };
  return {
    tag: input.tag,
    name: input.name,
    siteId: input.siteId,
    note: input.note,
    make: facts.computer.make,
    model: facts.computer.model,
    serial: facts.computer.serial,
    form: facts.computer.form,
    firmwareKind: facts.firmware.kind,
    firmwareArch: facts.firmware.arch,
    facts,
    startProfile: startProfile(input.facts),
  };
}

/** What the event log keeps of a computer, one fact group a field. */
function snapshot(input: ComputerInput): Record<string, unknown> {
  const { schema: _schema, computer, ...facts } = input.facts;
  const { tag: _tag, ...identity } = computer;
  return { tag: input.tag, name: input.name, siteId: input.siteId, note: input.note, ...identity, ...facts };
}

async function writeDisks(tx: Queries, computerId: number, facts: Facts): Promise<void> {
  await tx.delete(disks).where(eq(disks.computerId, computerId));
  const rows = (facts.disks ?? []).map((disk, position) => ({
    computerId,
    position,
    name: disk.name,
    bytes: disk.bytes,
    bus: disk.bus,
    model: disk.model,
    serial: disk.serial,
    removable: disk.removable,
    facts: disk,
  }));
  if (rows.length > 0) await tx.insert(disks).values(rows);
}

/** Adds a computer. Problems: `invalid`, `taken`, `not-found`. */
export async function addComputer(context: Context, input: unknown): Promise<Result<ComputerRow["id"]>> {
  const parsed = checked(computerInputSchema, input);
  if (!parsed.ok) return parsed;
  const { tag, facts } = parsed.value;
  return changing(context, { field: "tag", value: tag }, async (tx) => {
    const times = { createdAt: context.now(), updatedAt: context.now() };
    const [inserted] = await tx
      .insert(computers)
      .values({ ...columnsOf(parsed.value), ...times })
      .$returningId();
    const { id } = inserted as { id: number };
    await writeDisks(tx, id, facts);
    await recordEvent(tx, context, {
      entity: "computer",
      entityId: id,
      entityTag: tag,
      action: "added",
      version: 1,
      before: null,
      after: snapshot(parsed.value),
    });
    return ok(id);
  });
}

/** Saves a computer as edited from `version`. Problems: `invalid`, `taken`, `stale`, `not-found`. */
export async function saveComputer(
  context: Context,
  id: number,
  version: number,
  input: unknown,
): Promise<Result<number>> {
  const parsed = checked(computerInputSchema, input);
  if (!parsed.ok) return parsed;
  const { tag, facts } = parsed.value;
  return changing(context, { field: "tag", value: tag }, async (tx) => {
    const current = await readDetail(tx, eq(computers.id, id));
    if (!current) return fail({ code: "not-found", what: "computer" });
    const change = difference(snapshot(inputOf(current)), snapshot(parsed.value));
    if (!change) return ok(current.row.version);
    const set = columnsOf(parsed.value);
    const saved = await saveVersioned(tx, context, computers, {
      entity: "computer",
      id,
      version,
      tag,
      action: "changed",
      set,
      ...change,
    });
    if (saved.ok) await writeDisks(tx, id, facts);
    return saved;
  });
}

export function retireComputer(
  context: Context,
  id: number,
  version: number,
  retired: boolean,
): Promise<Result<number>> {
  return retire(context, computers, { entity: "computer", id, version, retired });
}

export function inputOf(detail: ComputerDetail): ComputerInput {
  const { tag, name, siteId, note } = detail.row;
  return { tag, name, siteId, note, facts: detail.facts };
}

export function getComputer(context: Context, tag: string): Promise<ComputerDetail | null> {
  return readDetail(context.db, eq(computers.tag, tag));
}

async function readDetail(queries: Queries, where: SQL): Promise<ComputerDetail | null> {
  const [found] = await queries
    .select({ row: computers, siteName: sites.name })
    .from(computers)
    .leftJoin(sites, eq(sites.id, computers.siteId))
    .where(where);
  if (!found) return null;
  const itsDisks = await queries
    .select()
    .from(disks)
    .where(eq(disks.computerId, found.row.id))
    .orderBy(asc(disks.position));
  const { facts, ...row } = found.row;
  // Stored facts pass the schema once more, so that older ones gain the fields of today.
  const whole = factsSchema.parse({ ...facts, schema: FACTS_SCHEMA, disks: itsDisks.map((disk) => disk.facts) });
  return { row, siteName: found.siteName, facts: whole };
}

export interface ComputerFilter {
  /** Part of a tag, name, serial, make or model. */
  text?: string | undefined;
  siteId?: number | undefined;
  /** Only those whose best medium comes to this; `none`: no medium is judged at all. */
  best?: Verdict | "none" | undefined;
  retired?: boolean | undefined;
  /** From 1. */
  page?: number | undefined;
}

export interface ComputerListItem {
  tag: string;
  name: string | null;
  siteName: string | null;
  make: string | null;
  model: string | null;
  firmwareKind: string | null;
  firmwareArch: string | null;
  legacyMode: string | null;
  cover: ProfileCover;
}

export const PAGE_ROWS = 50;

export async function listComputers(
  context: Context,
  filter: ComputerFilter,
): Promise<{ items: ComputerListItem[]; total: number }> {
  const where = await whereOf(context, filter);
  const page = Math.max(1, Math.floor(filter.page ?? 1));
  const [[count], rows] = await Promise.all([
    context.db.select({ total: sql<number>`COUNT(*)` }).from(computers).where(where),
    context.db
      .select({
        tag: computers.tag,
        name: computers.name,
        siteName: sites.name,
        make: computers.make,
        model: computers.model,
        firmwareKind: computers.firmwareKind,
        firmwareArch: computers.firmwareArch,
        legacyMode: sql<string | null>`JSON_UNQUOTE(JSON_EXTRACT(${computers.facts}, '$.firmware.legacyMode'))`,
        profile: computers.startProfile,
      })
      .from(computers)
      .leftJoin(sites, eq(sites.id, computers.siteId))
      .where(where)
      .orderBy(asc(computers.tag))
      .limit(PAGE_ROWS)
      .offset((page - 1) * PAGE_ROWS),
  ]);
  const cover = await coverOfProfiles(
    context,
    rows.map((row) => row.profile),
  );
  const items = rows.map(({ profile, ...row }) => ({ ...row, cover: cover.get(profile) as ProfileCover }));
  return { items, total: Number(count?.total ?? 0) };
}

async function whereOf(context: Context, filter: ComputerFilter): Promise<SQL | undefined> {
  const conditions: (SQL | undefined)[] = [
    filter.retired ? isNotNull(computers.retiredAt) : isNull(computers.retiredAt),
  ];
  const text = filter.text?.trim();
  if (text) {
    const pattern = `%${text.replace(/[\\%_]/g, "\\$&")}%`;
    conditions.push(
      or(
        like(computers.tag, pattern),
        like(computers.name, pattern),
        like(computers.serial, pattern),
        like(computers.make, pattern),
        like(computers.model, pattern),
      ),
    );
  }
  if (filter.siteId) conditions.push(eq(computers.siteId, filter.siteId));
  if (filter.best) {
    const profiles = await profilesInUse(context);
    const cover = await coverOfProfiles(context, profiles);
    const wanted = profiles.filter((profile) => (cover.get(profile)?.best ?? "none") === filter.best);
    conditions.push(wanted.length > 0 ? inArray(computers.startProfile, wanted) : sql`FALSE`);
  }
  return and(...conditions);
}

export async function profilesInUse(context: Context): Promise<string[]> {
  const rows = await context.db
    .selectDistinct({ profile: computers.startProfile })
    .from(computers)
    .where(isNull(computers.retiredAt));
  return rows.map((row) => row.profile);
}
