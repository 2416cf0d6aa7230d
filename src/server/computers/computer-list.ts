import { and, asc, desc, eq, inArray, isNotNull, isNull, type SQL, sql } from "drizzle-orm";
import { z } from "zod";
import { MISSING, missingBit } from "@/core/computer/facts/missing";
import { LINK_NAMES } from "@/core/judging/model/schema";
import type { Context } from "../context";
import type { ComputerId, SignerId } from "../db/ids";
import { computerSigners, computers, signers, sites } from "../db/schema";
import { asked } from "../fleet/asked";
import { computersComingTo, coversOf } from "../fleet/covers";
import type { Cover } from "../fleet/fleet";
import { searchText } from "../inventory/derived";

/** How a computer starts, as people ask for it. */
export const FIRMWARE_FILTERS = ["uefi", "bios", "legacy", "unknown"] as const;
export const SECURE_FILTERS = ["on", "off", "setup", "absent", "unknown"] as const;
export const BESTS = ["holds", "holds-after-change", "broken", "unknown", "none"] as const;

/** What a list of computers can be narrowed by; everything is optional. */
export const computerFilterSchema = z.object({
  /** Words that must all stand in tag, name, serial, make, model or a disk's serial. */
  text: z.string().max(200).optional(),
  siteId: z.number().int().positive().optional(),
  firmware: z.enum(FIRMWARE_FILTERS).optional(),
  arch: z.string().max(10).optional(),
  secureBoot: z.enum(SECURE_FILTERS).optional(),
  /** A certificate's id; negative: those whose lists are known and do not allow it. */
  signer: z.number().int().optional(),
  system: z.string().max(200).optional(),
  make: z.string().max(200).optional(),
  model: z.string().max(200).optional(),
  missing: z.enum([...MISSING, "any"]).optional(),
  /** Only those whose surest route comes to this; `none`: there is no medium at all. */
  best: z.enum(BESTS).optional(),
  /** Only those of whose surest route this link decides. */
  at: z.enum(LINK_NAMES).optional(),
  retired: z.boolean().optional(),
});
export type ComputerFilter = z.infer<typeof computerFilterSchema>;

export const SORTS = {
  tag: computers.tag,
  name: computers.name,
  site: sites.name,
  make: computers.make,
  model: computers.model,
  serial: computers.serial,
  form: computers.form,
  firmware: computers.firmwareKind,
  firmwareVersion: computers.firmwareVersion,
  secureBoot: computers.secureBoot,
  system: computers.systemName,
  memory: computers.memoryBytes,
  disk: computers.diskBytes,
  factsAt: computers.factsAt,
  missing: sql<number>`BIT_COUNT(${computers.missing})`,
} as const;
export type Sort = keyof typeof SORTS;

export interface ComputerOrder {
  sort?: Sort | undefined;
  descending?: boolean | undefined;
  /** From 1. */
  page?: number | undefined;
}

export const PAGE_ROWS = 50;

const LIST_COLUMNS = {
  id: computers.id,
  tag: computers.tag,
  name: computers.name,
  siteName: sites.name,
  make: computers.make,
  model: computers.model,
  serial: computers.serial,
  form: computers.form,
  firmwareKind: computers.firmwareKind,
  firmwareArch: computers.firmwareArch,
  firmwareVersion: computers.firmwareVersion,
  legacyMode: computers.legacyMode,
  secureBoot: computers.secureBoot,
  systemName: computers.systemName,
  systemVersion: computers.systemVersion,
  memoryBytes: computers.memoryBytes,
  diskBytes: computers.diskBytes,
  missing: computers.missing,
  factsAt: computers.factsAt,
  version: computers.version,
};

export interface ComputerListItem {
  id: ComputerId;
  tag: string;
  name: string | null;
  siteName: string | null;
  make: string | null;
  model: string | null;
  serial: string | null;
  form: string | null;
  firmwareKind: string | null;
  firmwareArch: string | null;
  firmwareVersion: string | null;
  legacyMode: string | null;
  secureBoot: string | null;
  systemName: string | null;
  systemVersion: string | null;
  memoryBytes: number | null;
  diskBytes: number | null;
  missing: number;
  factsAt: Date | null;
  version: number;
  /** Null where it is not in service. */
  cover: Cover | null;
}

/** One page of computers, and how many there are. */
export const listComputers = asked(
  "computers",
  async (
    context: Context,
    { sort = "tag", descending = false, page: wanted = 1, ...filter }: ComputerFilter & ComputerOrder,
  ): Promise<{ items: ComputerListItem[]; total: number }> => {
    const where = await whereOf(context, filter);
    const page = Math.max(1, Math.floor(wanted));
    const order = descending ? desc(SORTS[sort]) : asc(SORTS[sort]);
    const [[count], rows] = await Promise.all([
      context.db.select({ total: sql<number>`COUNT(*)` }).from(computers).where(where),
      context.db
        .select(LIST_COLUMNS)
        .from(computers)
        .leftJoin(sites, eq(sites.id, computers.siteId))
        .where(where)
        // What has no value comes last, whichever way; ties by tag, so that pages do not overlap.
        .orderBy(sql`${SORTS[sort]} IS NULL`, order, asc(computers.tag))
        .limit(PAGE_ROWS)
        .offset((page - 1) * PAGE_ROWS),
    ]);
    const ids = rows.map(({ id }) => id);
    const covers = filter.retired ? [] : await coversOf(context, ids);
    const items = rows.map((row, at) => ({ ...row, cover: covers[at] ?? null }));
    return { items, total: Number(count?.total ?? 0) };
  },
);

/** The condition of a filter. */
export async function whereOf(context: Context, filter: ComputerFilter): Promise<SQL | undefined> {
  const conditions: (SQL | undefined)[] = [
    filter.retired ? isNotNull(computers.retiredAt) : isNull(computers.retiredAt),
  ];
  for (const term of searchText(filter.text ?? "")
    .split(/\s+/)
    .filter(Boolean)
    .slice(0, 12))
    conditions.push(sql`LOCATE(${term} COLLATE utf8mb4_bin, ${computers.search}) > 0`);
  if (filter.siteId) conditions.push(eq(computers.siteId, filter.siteId));
  if (filter.firmware) conditions.push(firmwareCondition(filter.firmware));
  if (filter.arch) conditions.push(eq(computers.firmwareArch, filter.arch));
  if (filter.secureBoot)
    conditions.push(
      filter.secureBoot === "unknown"
        ? and(isNull(computers.secureBoot), sql`${computers.firmwareKind} <=> 'uefi'`)
        : eq(computers.secureBoot, filter.secureBoot),
    );
  if (filter.system) conditions.push(eq(computers.systemName, filter.system));
  if (filter.make) conditions.push(eq(computers.make, filter.make));
  if (filter.model) conditions.push(eq(computers.model, filter.model));
  if (filter.missing === "any") conditions.push(sql`${computers.missing} <> 0`);
  else if (filter.missing) conditions.push(sql`(${computers.missing} & ${missingBit(filter.missing)}) <> 0`);
  if (filter.signer) conditions.push(signerCondition(filter.signer));
  if (filter.best || filter.at) {
    const wanted = await computersComingTo(context, filter.best ?? null, filter.at ?? null);
    conditions.push(wanted.length > 0 ? inArray(computers.id, wanted) : sql`FALSE`);
  }
  return and(...conditions);
}

function firmwareCondition(firmware: (typeof FIRMWARE_FILTERS)[number]): SQL | undefined {
  const legacy = sql`${computers.legacyMode} <=> 'on'`;
  switch (firmware) {
    case "uefi":
      return and(eq(computers.firmwareKind, "uefi"), sql`NOT (${legacy})`);
    case "bios":
      return eq(computers.firmwareKind, "bios");
    case "legacy":
      return and(eq(computers.firmwareKind, "uefi"), legacy);
    case "unknown":
      return isNull(computers.firmwareKind);
  }
}

function signerCondition(signer: number): SQL {
  const allows = sql`EXISTS (SELECT 1 FROM ${computerSigners} WHERE ${computerSigners.computerId} = ${computers.id} AND ${computerSigners.signerId} = ${Math.abs(signer)})`;
  if (signer > 0) return allows;
  const listsKnown = sql`(${computers.missing} & ${missingBit("secureBootLists")}) = 0 AND ${computers.firmwareKind} <=> 'uefi' AND ${computers.secureBoot} <=> 'on'`;
  return sql`(${listsKnown} AND NOT ${allows})`;
}

export interface FilterChoices {
  arches: string[];
  systems: string[];
  models: { make: string | null; model: string }[];
  signers: { id: SignerId; name: string; notAfter: string }[];
}

const CHOICES_MAX = 300;

/** What the filters can be set to, from what is there. */
export const filterChoices = asked("filter-choices", async (context: Context): Promise<FilterChoices> => {
  const inUse = isNull(computers.retiredAt);
  const [arches, systems, models, signerRows] = await Promise.all([
    context.db.selectDistinct({ value: computers.firmwareArch }).from(computers).where(inUse),
    context.db
      .selectDistinct({ value: computers.systemName })
      .from(computers)
      .where(and(inUse, isNotNull(computers.systemName)))
      .orderBy(asc(computers.systemName))
      .limit(CHOICES_MAX),
    context.db
      .selectDistinct({ make: computers.make, model: computers.model })
      .from(computers)
      .where(and(inUse, isNotNull(computers.model)))
      .orderBy(asc(computers.make), asc(computers.model))
      .limit(CHOICES_MAX),
    context.db
      .select({ id: signers.id, name: signers.name, notAfter: signers.notAfter })
      .from(signers)
      .where(sql`EXISTS (SELECT 1 FROM ${computerSigners} WHERE ${computerSigners.signerId} = ${signers.id})`)
      .orderBy(asc(signers.name)),
  ]);
  return {
    arches: arches.flatMap(({ value }) => (value === null ? [] : [value])).sort(),
    systems: systems.flatMap(({ value }) => (value === null ? [] : [value])),
    models: models.flatMap(({ make, model }) => (model === null ? [] : [{ make, model }])),
    signers: signerRows,
  };
});
