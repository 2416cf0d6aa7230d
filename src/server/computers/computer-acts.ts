import { eq } from "drizzle-orm";
import { z } from "zod";
import { type Affected, affectedBy } from "@/core/computer/affects";
import { gather } from "@/core/computer/collect/read";
import { looksLikeKey } from "@/core/computer/facts/key-place";
import {
  applyMerge,
  editedProvenance,
  type FactChange,
  type FactSource,
  NO_PROVENANCE,
  type Observation,
  observationSchema,
  planMerge,
  provenanceFor,
} from "@/core/computer/facts/merge";
import { flatten, type LeftOut } from "@/core/computer/facts/paths";
import { type DiskFacts, diskSchema, FACTS_SCHEMA, type Facts, factsSchema } from "@/core/computer/facts/schema";
import { internalDisks } from "@/core/computer/needs/system-disk";
import { summariseSecureBoot } from "@/core/computer/secure-boot/lists";
import type { Context } from "../context";
import type { ComputerId, SiteId } from "../db/ids";
import { sites } from "../db/schema";
import { answerWith } from "../fleet/routes";
import { type MediumShift, shiftOfMedia } from "../inspections/verdicts";
import {
  type ComputerDetail,
  changeComputer,
  computerInputSchema,
  findComputer,
  getComputer,
  handSource,
  inputOf,
  insertComputer,
  tagSchema,
} from "../inventory/computers";
import { checked, fail, ok, type Result, refused } from "../problems";

/** Facts that were told, and to which computer they go. */
const factsInputSchema = z.object({
  /** The tag that was chosen; null: the one that the facts name. */
  tag: z.string().trim().max(60).nullable(),
  observations: z.array(observationSchema).min(1).max(1000),
  choices: z.record(z.string(), z.number().int().nonnegative().nullable()),
});

export interface FactsPreview {
  /** The tag that they go to; null where neither they nor the person name one. */
  tag: string | null;
  /** The computer that is there; null for a new one. */
  known: { id: ComputerId; version: number; tag: string; name: string | null; siteName: string | null } | null;
  changes: FactChange[];
  confirmed: number;
  /** What could not be put together, as sentences. */
  left: LeftOut[];
  affected: Affected[];
  /** Media whose Starts verdict on this computer changes. */
  shifts: MediumShift[];
  /** What its routes come to, where the changes make that another thing. */
  answers: { before: string; after: string } | null;
}

/** The first value that observations tell of a fact. */
function toldOf(observations: Observation[], path: string): string | null {
  for (const { values } of observations)
    for (const [each, value] of values) if (each === path && typeof value === "string") return value;
  return null;
}

async function targetOf(context: Context, tag: string | null, observations: Observation[]) {
  const toldTag = toldOf(observations, "computer/tag");
  const earlier = await findComputer(context, {
    tag: tag ?? toldTag,
    serial: tag ? null : toldOf(observations, "computer/serial"),
  });
  return { tag: earlier?.row.tag ?? tag ?? toldTag, known: earlier };
}

/** A tag is the inventory's own: what a facts file says of it decides where the facts go, and is no fact to merge. */
function withoutTag(observations: Observation[]): Observation[] {
  return gather(observations).map((each) => ({
    ...each,
    values: each.values.filter(([path]) => path !== "computer/tag" && !path.startsWith("collected")),
  }));
}

/** What taking in the observations would change, and what that touches. Writes nothing. */
export async function previewFacts(context: Context, input: unknown): Promise<Result<FactsPreview>> {
  const parsed = checked(factsInputSchema, input);
  if (!parsed.ok) return parsed;
  const { choices } = parsed.value;
  const { tag, known } = await targetOf(context, parsed.value.tag, parsed.value.observations);
  const observations = withoutTag(parsed.value.observations);
  const [current, provenance] = [known?.facts ?? null, known?.provenance ?? NO_PROVENANCE];
  const plan = planMerge(current, provenance, observations);
  const merged = applyMerge(current, provenance, observations, choices);
  return ok({
    tag,
    known: known && {
      id: known.row.id,
      version: known.row.version,
      tag: known.row.tag,
      name: known.row.name,
      siteName: known.siteName,
    },
    changes: plan.changes,
    confirmed: plan.confirmed.size,
    left: merged.left,
    affected: current ? await affectedOf(current, merged.facts) : [],
    shifts: current ? await shiftOfMedia(context, current, merged.facts) : [],
    answers: known && (await answersOf(context, known, merged.facts)),
  });
}

async function answersOf(
  context: Context,
  { row: { tag }, siteName: site, facts }: ComputerDetail,
  merged: Facts,
): Promise<FactsPreview["answers"]> {
  const of = (each: Facts) => answerWith(context, { tag, site, facts: each });
  const [before, after] = [await of(facts), await of(merged)];
  return before === after ? null : { before, after };
}

async function affectedOf(before: Facts, after: Facts): Promise<Affected[]> {
  const [was, is] = [before, after].map((facts) => summariseSecureBoot(facts.firmware));
  return affectedBy({ facts: before, lists: was as never }, { facts: after, lists: is as never });
}

/** Takes facts in: into the computer as it was seen at `version`, or into a new one where that is null. */
export async function takeInFacts(
  context: Context,
  input: unknown,
  version: number | null,
): Promise<Result<{ tag: string }>> {
  const parsed = checked(factsInputSchema, input);
  if (!parsed.ok) return parsed;
  const { choices } = parsed.value;
  const { tag, known } = await targetOf(context, parsed.value.tag, parsed.value.observations);
  const observations = withoutTag(parsed.value.observations);
  const note = sourcesText(observations);
  if (!known) {
    const named = tagSchema.safeParse(tag ?? "");
    if (!named.success) return fail({ code: "invalid", fields: { tag: named.error.issues[0]?.message ?? "" } });
    if (version !== null) return fail({ code: "not-found", what: "computer with this tag" });
    const { facts, provenance } = applyMerge(null, NO_PROVENANCE, observations, choices);
    const added = await insertComputer(context, {
      input: { tag: named.data, name: null, siteId: null, note: null, facts },
      provenance,
      action: "added",
      note,
    });
    return added.ok ? ok({ tag: named.data }) : added;
  }
  const changed = await changeComputer(context, known.row.id, version ?? 0, (current) => {
    const { facts, provenance } = applyMerge(current.facts, current.provenance, observations, choices);
    return ok({ input: { ...inputOf(current), facts }, provenance, action: "took in facts of", note });
  });
  return changed.ok ? ok({ tag: known.row.tag }) : changed;
}

function sourcesText(observations: Observation[]): string {
  const names = [...new Set(observations.map((each) => each.source.name))];
  const shown = names.slice(0, 4).join(", ");
  return `from ${shown}${names.length > 4 ? ` and ${names.length - 4} more` : ""}`.slice(0, 300);
}

const newDiskSchema = z.object({
  /** The place of the disk that goes. */
  index: z.number().int().nonnegative(),
  bytes: z.number().int().positive("A disk's size is needed."),
  sectorBytes: z.union([z.literal(512), z.literal(4096)]).nullable(),
  bus: z.string().trim().max(40).nullable(),
  model: z.string().trim().max(200).nullable(),
  serial: z.string().trim().max(200).nullable(),
  /** What is on it; not given: nothing. `as-before`: it is a copy of the one that goes. */
  content: z.enum(["empty", "as-before", "not-recorded"]).default("empty"),
});

/** A disk was replaced: the new one keeps the old one's name and place. */
export async function replaceDisk(
  context: Context,
  id: ComputerId,
  version: number,
  input: unknown,
): Promise<Result<number>> {
  const parsed = checked(newDiskSchema, input);
  if (!parsed.ok) return parsed;
  const { index, content, ...own } = parsed.value;
  return changeComputer(context, id, version, (current) => {
    const old = current.facts.disks?.[index];
    if (!old) return fail({ code: "not-found", what: "disk" });
    const disk: DiskFacts = {
      ...diskSchema.parse({ name: old.name, ...own }),
      removable: false,
      ...(content === "as-before"
        ? { table: old.table, partitions: old.partitions, blank: old.blank }
        : { partitions: [], blank: content === "empty" ? true : null }),
    };
    const facts = { ...current.facts, disks: (current.facts.disks ?? []).with(index, disk) };
    return ok({
      input: { ...inputOf(current), facts },
      provenance: editedProvenance(current.facts, current.provenance, facts, handSource(context)),
      action: "replaced a disk of",
      note: `${old.name}${old.serial ? `, serial ${old.serial}` : ""} went`,
    });
  });
}

const partitionSchema = z.object({
  disk: z.number().int().nonnegative(),
  partition: z.number().int().positive(),
  change: z.union([
    /** Where the recovery key is kept; what looks like a key is refused. */
    z.object({ keyPlace: z.string().trim().max(200, "A location has at most 200 characters.") }),
    /** What it is for; empty: what its type and content tell. */
    z.object({ role: z.enum(["", "esp", "boot", "system", "recovery", "data", "swap", "msr"]) }),
  ]),
});

/** What only people know of a partition: what it is for, and where its recovery key is kept. */
export async function setPartition(
  context: Context,
  id: ComputerId,
  version: number,
  input: unknown,
): Promise<Result<number>> {
  const parsed = checked(partitionSchema, input);
  if (!parsed.ok) return parsed;
  const { disk: index, partition: number, change } = parsed.value;
  if ("keyPlace" in change && looksLikeKey(change.keyPlace)) return refused({ code: "key-typed" }, "place");
  const set = "role" in change ? { role: change.role || null } : { keyPlace: change.keyPlace || null };
  return changeComputer(context, id, version, (current) => {
    const disk = current.facts.disks?.[index];
    if (!disk?.partitions.some((each) => each.number === number)) return fail({ code: "not-found", what: "partition" });
    const partitions = disk.partitions.map((each) => (each.number === number ? { ...each, ...set } : each));
    const facts = { ...current.facts, disks: (current.facts.disks ?? []).with(index, { ...disk, partitions }) };
    return ok({
      input: { ...inputOf(current), facts },
      provenance: editedProvenance(current.facts, current.provenance, facts, handSource(context)),
      action: "changed",
      note: `partition ${number} on ${disk.name}`,
    });
  });
}

/** Moves a computer to another place. */
export function moveComputer(
  context: Context,
  id: ComputerId,
  version: number,
  siteId: SiteId | null,
): Promise<Result<number>> {
  return changeComputer(context, id, version, async (current, tx) => {
    const [site] = siteId === null ? [] : await tx.select().from(sites).where(eq(sites.id, siteId));
    if (siteId !== null && !site) return fail({ code: "not-found", what: "site" });
    return ok({
      input: { ...inputOf(current), siteId },
      provenance: current.provenance,
      action: "moved",
      note: `from ${current.siteName ?? "no recorded site"} to ${site?.name ?? "no recorded site"}`,
    });
  });
}

const copySchema = z.object({
  tag: tagSchema,
  name: z.string().trim().max(120).nullable(),
  siteId: z.number().int().nullable(),
  serial: z.string().trim().max(200).nullable(),
});

/** Adds a computer like another: what identifies the one, its disks and its keys' places are left out. */
export async function copyComputer(context: Context, fromTag: string, input: unknown): Promise<Result<number>> {
  const parsed = checked(copySchema, input);
  if (!parsed.ok) return parsed;
  const from = await getComputer(context, fromTag);
  if (!from) return fail({ code: "not-found", what: "computer to copy" });
  const { tag, name, siteId, serial } = parsed.value;
  const facts = asTemplate(from, tag, serial);
  const source: FactSource = {
    kind: "template",
    name: from.row.tag,
    at: context.now().toISOString(),
    by: context.person.name,
  };
  const paths = flatten(facts);
  const sources = new Map(
    [...paths.keys()].map((path) => [path, path === "computer/serial" ? handSource(context) : source]),
  );
  return insertComputer(context, {
    input: computerInputSchema.parse({ tag, name: name || null, siteId, note: null, facts }),
    provenance: provenanceFor(paths, sources),
    action: "copied",
    note: `from ${from.row.tag}`,
  });
}

function asTemplate({ facts }: ComputerDetail, tag: string, serial: string | null): Facts {
  return factsSchema.parse({
    ...facts,
    schema: FACTS_SCHEMA,
    collected: null,
    computer: { ...facts.computer, tag, serial: serial || null },
    firmware: { ...facts.firmware, startOrder: null, entries: null },
    disks:
      facts.disks &&
      internalDisks(facts).map((disk) => ({
        ...disk,
        serial: null,
        partitions: disk.partitions.map((partition) => ({ ...partition, usedBytes: null, keyPlace: null })),
      })),
  });
}
