import { z } from "zod";
import { equalJson } from "../../kernel/equal-json";
import { itemAt } from "../../kernel/item-at";
import {
  assemble,
  type FactMap,
  type FactPath,
  type FactValue,
  factValueSchema,
  flatten,
  type LeftOut,
  pathPart,
} from "./paths";
import type { Facts } from "./schema";

/** Where facts come from, in the order of trust where times do not decide. */
const SOURCE_KINDS = ["hand", "collector", "tool", "file", "table", "template", "unknown"] as const;

export type SourceKind = (typeof SOURCE_KINDS)[number];

const factSourceSchema = z.object({
  kind: z.enum(SOURCE_KINDS),
  /** What a person would call it: "lsblk --json", "fleet.csv". */
  name: z.string().max(200),
  /** ISO 8601, UTC. */
  at: z.string().max(40),
  by: z
    .string()
    .max(120)
    .nullish()
    .transform((by) => by ?? null),
});
export type FactSource = z.infer<typeof factSourceSchema>;

/** For each fact, which of the sources it came from. */
export const provenanceSchema = z.object({
  sources: z.array(factSourceSchema),
  facts: z.record(z.string(), z.number().int().nonnegative()),
});
export type Provenance = z.infer<typeof provenanceSchema>;

export const NO_PROVENANCE: Provenance = { sources: [], facts: {} };

/** Who says a fact; null where it is kept without its source, as facts of earlier days are. */
export function sourceOf(provenance: Provenance, path: FactPath): FactSource | null {
  const index = provenance.facts[path];
  return index === undefined ? null : (provenance.sources[index] ?? null);
}

/** What one document, tool or person says of a computer. */
export const observationSchema = z.object({
  source: factSourceSchema,
  values: z.array(z.tuple([z.string().max(400), factValueSchema])).max(5000),
  /** Lists that it tells to the end, so that what it leaves out is gone: "disks", "disks/sda/partitions", "devices/pci". */
  complete: z.array(z.string().max(400)).max(200),
  /** Facts that it tells rounded: they say nothing against an exact number near them. */
  rounded: z.array(z.string().max(400)).max(1000).default([]),
});
export type Observation = z.infer<typeof observationSchema>;

type Effect = "adds" | "replaces" | "contradicts" | "removes";

interface Candidate {
  value: FactValue | null;
  source: FactSource;
}

/** One fact that would change. `take`: which candidate is proposed, null to keep what is recorded. */
export interface FactChange {
  path: FactPath;
  effect: Effect;
  current: FactValue | null;
  currentSource: FactSource | null;
  candidates: Candidate[];
  take: number | null;
  /** Why it is not simply taken. */
  why: "set-by-hand" | "older" | "sources-differ" | "attached-from-outside" | "another-in-its-place" | null;
}

export interface MergePlan {
  changes: FactChange[];
  /** Facts that are recorded just so, with what told them last. */
  confirmed: Map<FactPath, FactSource>;
}

const GUID = /^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/i;

/** The same value: key order does not count, nor the case of GUIDs. */
export function sameFact(a: FactValue | null | undefined, b: FactValue | null | undefined): boolean {
  return equalJson(
    a,
    b,
    (one, other) => one.length === 36 && GUID.test(one) && one.toLowerCase() === other.toLowerCase(),
  );
}

interface DiskIdentity {
  key: string;
  name: string;
  serial: string | null;
  /** One of the observations at hand told of it. */
  seen?: boolean;
}

function disksOf(map: FactMap): DiskIdentity[] {
  const disks = new Map<string, DiskIdentity>();
  for (const [path, value] of map) {
    const [head, key, field] = path.split("/");
    if (head !== "disks" || key === undefined) continue;
    const disk = disks.get(key) ?? { key, name: key, serial: null };
    if (field === "name" && typeof value === "string") disk.name = value;
    if (field === "serial" && typeof value === "string" && value.trim() !== "") disk.serial = value.trim();
    disks.set(key, disk);
  }
  return [...disks.values()];
}

/**
 * The same disk by serial, whatever it is called today; without serials by name. A disk of another serial under a
 * known name is another disk.
 */
function alignDisks({ source, values, complete, rounded }: Observation, known: DiskIdentity[]): Seen {
  const renamed = new Map<string, string>();
  const observed: FactMap = new Map(values);
  for (const disk of disksOf(observed)) {
    const byName = known.filter(
      (each) =>
        each.name === disk.name && (disk.serial === null || each.serial === null || each.serial === disk.serial),
    );
    // A name alone means the disk that bears it today.
    const same =
      known.find((each) => disk.serial !== null && each.serial === disk.serial) ??
      byName.find((each) => each.seen) ??
      byName[0];
    const taken = known.some((each) => each.key === disk.key);
    const key = same?.key ?? (taken ? `${disk.key}~${pathPart(disk.serial ?? "other")}` : disk.key);
    renamed.set(disk.key, key);
    if (!same) known.push({ ...disk, key, seen: true });
    else {
      same.serial ??= disk.serial;
      same.seen = true;
    }
  }
  return {
    source,
    values: new Map([...observed].map(([path, value]) => [renameDisk(path, renamed), value])),
    complete: complete.map((prefix) => renameDisk(prefix, renamed)),
    rounded: new Set(rounded.map((path) => renameDisk(path, renamed))),
  };
}

function renameDisk(path: string, renamed: Map<string, string>): string {
  const parts = path.split("/");
  if (parts[0] !== "disks" || parts[1] === undefined) return path;
  return ["disks", renamed.get(parts[1]) ?? parts[1], ...parts.slice(2)].join("/");
}

const IS_SERIAL = /^disks\/[^/]+\/serial$/;

/** Facts that name a computer's disk but say nothing of it when it goes by another name. */
const isDiskName = (path: FactPath) => /^disks\/[^/]+\/name$/.test(path);

/**
 * What the observations would change in what is recorded. A fact set by hand, or known from a later time, is kept
 * unless chosen otherwise; where observations differ among themselves, the more trusted one is proposed.
 */
export function planMerge(current: Facts | null, provenance: Provenance, observations: Observation[]): MergePlan {
  const recorded: FactMap = current ? flatten(current) : new Map();
  const recordedDisks = disksOf(recorded);
  // Those that tell serials first: a table of partitions speaks of a disk by its name only.
  const inOrder = observations
    .map((observation, index) => ({
      observation,
      index,
      tells: observation.values.some(([path]) => IS_SERIAL.test(path)),
    }))
    .sort((a, b) => Number(b.tells) - Number(a.tells));
  const aligned = new Map(inOrder.map(({ observation, index }) => [index, alignDisks(observation, recordedDisks)]));
  const seen = observations.map((_, index) => aligned.get(index) as Seen);
  const candidates = new Map<FactPath, Candidate[]>();
  const confirmed = new Map<FactPath, FactSource>();
  // Exact numbers first, so that a rounded one near them only confirms them.
  const told = seen.flatMap(({ source, values, rounded }) =>
    [...values].map(([path, value]) => ({ path, value, source, exact: !rounded.has(path) })),
  );
  for (const { path, value, source, exact } of told.sort((a, b) => Number(b.exact) - Number(a.exact))) {
    const list = candidates.get(path) ?? [];
    if (!exact && isNear(value, list[0]?.value ?? recorded.get(path))) {
      if (list.length === 0) confirmed.set(path, source);
      continue;
    }
    const same = list.find((each) => sameFact(each.value, value));
    if (!same) list.push({ value, source });
    else if (same.source.at < source.at) same.source = source;
    candidates.set(path, list);
  }
  const changes: FactChange[] = [];
  const outside = disksFromOutside(candidates, recorded);
  for (const [path, list] of candidates) {
    const value = recorded.get(path) ?? null;
    const agree = list.every((each) => sameFact(each.value, value));
    if (value !== null && agree) confirmed.set(path, itemAt(list, 0).source);
    else if (!(isDiskName(path) && value !== null && list.length > 1))
      changes.push(changeOf(path, value, sourceOf(provenance, path), list, outside));
  }
  for (const gone of goneOf(recorded, seen)) {
    const below = [...recorded.keys()]
      .filter((path) => path === gone.path || path.startsWith(`${gone.path}/`))
      .map((path) => sourceOf(provenance, path));
    const source = below.find((each) => each?.kind === "hand") ?? below.find((each) => each !== null) ?? null;
    changes.push({
      path: gone.path,
      effect: "removes",
      current: recorded.get(gone.path) ?? null,
      currentSource: source,
      candidates: [{ value: null, source: gone.source }],
      ...removal(gone.path, source, recordedDisks),
    });
  }
  return { changes, confirmed };
}

/**
 * A thing that is gone: kept where a hand set something of it, but for a disk in whose place there is another, which
 * cannot be there any more.
 */
function removal(path: FactPath, source: FactSource | null, disks: DiskIdentity[]): Pick<FactChange, "take" | "why"> {
  const wholeDisk = disks.find((disk) => path === `disks/${disk.key}`);
  const another = wholeDisk && disks.some((disk) => disk !== wholeDisk && disk.name === wholeDisk.name);
  if (another) return { take: 0, why: "another-in-its-place" };
  return source?.kind === "hand" ? { take: null, why: "set-by-hand" } : { take: 0, why: null };
}

/** As near as two digits can tell. */
const ROUNDING = 0.05;

function isNear(rounded: FactValue, exact: FactValue | null | undefined): boolean {
  return (
    typeof rounded === "number" &&
    typeof exact === "number" &&
    Math.abs(rounded - exact) <= ROUNDING * Math.max(exact, 1)
  );
}

function disksFromOutside(candidates: Map<FactPath, Candidate[]>, recorded: FactMap): Set<string> {
  const keys = new Set<string>();
  for (const [path, list] of candidates) {
    const match = /^disks\/([^/]+)\/removable$/.exec(path);
    if (match?.[1] && list.some((each) => each.value === true) && !recorded.has(`disks/${match[1]}/bytes`))
      keys.add(match[1]);
  }
  return keys;
}

function changeOf(
  path: FactPath,
  current: FactValue | null,
  currentSource: FactSource | null,
  candidates: Candidate[],
  outside: Set<string>,
): FactChange {
  const differ = candidates.length > 1;
  const best = bestOf(candidates);
  const base = { path, current, currentSource, candidates };
  const diskKey = path.startsWith("disks/") ? path.split("/")[1] : undefined;
  if (diskKey !== undefined && outside.has(diskKey))
    return { ...base, effect: "adds", take: null, why: "attached-from-outside" };
  if (current === null)
    return { ...base, effect: differ ? "contradicts" : "adds", take: best, why: differ ? "sources-differ" : null };
  if (currentSource?.kind === "hand") return { ...base, effect: "contradicts", take: null, why: "set-by-hand" };
  const newest = itemAt(candidates, best);
  if (currentSource && newest.source.at < currentSource.at)
    return { ...base, effect: "contradicts", take: null, why: "older" };
  if (differ) return { ...base, effect: "contradicts", take: best, why: "sources-differ" };
  return { ...base, effect: "replaces", take: best, why: null };
}

/** The most trusted kind first, then the latest. */
function bestOf(candidates: Candidate[]): number {
  let best = 0;
  for (const [index, { source }] of candidates.entries()) {
    const kept = itemAt(candidates, best).source;
    const rank = SOURCE_KINDS.indexOf(source.kind) - SOURCE_KINDS.indexOf(kept.kind);
    if (rank < 0 || (rank === 0 && source.at > kept.at)) best = index;
  }
  return best;
}

interface Seen {
  source: FactSource;
  values: FactMap;
  complete: string[];
  rounded: Set<FactPath>;
}

/** What is recorded below a list that was told to the end, and was not told. One path a thing, not a fact. */
function goneOf(recorded: FactMap, seen: Seen[]): { path: FactPath; source: FactSource }[] {
  const gone = new Map<FactPath, FactSource>();
  for (const { source, complete } of seen) {
    for (const prefix of complete) {
      const depth = prefix.split("/").length;
      for (const path of recorded.keys()) {
        if (!path.startsWith(`${prefix}/`)) continue;
        const thing = path
          .split("/")
          .slice(0, depth + 1)
          .join("/");
        const told = seen.some(({ values }) => values.has(thing) || hasBelow(values, `${thing}/`));
        if (!told) gone.set(thing, source);
      }
    }
  }
  const isInside = (path: string) => [...gone.keys()].some((other) => path.startsWith(`${other}/`));
  return [...gone].filter(([path]) => !isInside(path)).map(([path, source]) => ({ path, source }));
}

function hasBelow(values: FactMap, prefix: string): boolean {
  for (const path of values.keys()) if (path.startsWith(prefix)) return true;
  return false;
}

/** What was chosen instead of what is proposed: a candidate's index, or null to keep what is recorded. */
export type Choices = Record<FactPath, number | null>;

export interface Merged {
  facts: Facts;
  provenance: Provenance;
  left: LeftOut[];
  /** How many facts were taken. */
  taken: number;
}

/** The facts after a merge, each with where it is from. Confirmed facts keep a hand's mark and else gain the new time. */
export function applyMerge(
  current: Facts | null,
  provenance: Provenance,
  observations: Observation[],
  choices: Choices = {},
): Merged {
  const plan = planMerge(current, provenance, observations);
  const map: FactMap = current ? flatten(current) : new Map();
  const sources = new Map<FactPath, FactSource>();
  for (const path of map.keys()) {
    const source = sourceOf(provenance, path);
    if (source) sources.set(path, source);
  }
  let taken = 0;
  for (const change of plan.changes) {
    const chosen = change.path in choices ? (choices[change.path] ?? null) : change.take;
    const candidate = chosen === null ? undefined : change.candidates[chosen];
    if (!candidate) continue;
    taken++;
    if (candidate.value === null) {
      for (const path of [...map.keys()])
        if (path === change.path || path.startsWith(`${change.path}/`)) {
          map.delete(path);
          sources.delete(path);
        }
    } else {
      map.set(change.path, candidate.value);
      sources.set(change.path, candidate.source);
    }
  }
  for (const [path, source] of plan.confirmed) {
    const before = sources.get(path);
    if (!before || (before.kind !== "hand" && before.at < source.at)) sources.set(path, source);
  }
  const { facts, left, diskKeys } = assemble(map);
  const placed = new Map([...sources].map(([path, source]) => [renameDisk(path, diskKeys), source]));
  return { facts, provenance: provenanceFor(flatten(facts), placed), left, taken };
}

/** Provenance of the facts that are there, sources listed once. */
export function provenanceFor(map: ReadonlyMap<FactPath, unknown>, sources: Map<FactPath, FactSource>): Provenance {
  const list: FactSource[] = [];
  const indices = new Map<FactSource, number>();
  const facts: Record<FactPath, number> = {};
  for (const path of map.keys()) {
    const source = sources.get(path);
    if (!source) continue;
    let index = indices.get(source);
    if (index === undefined) {
      index = list.findIndex((each) => equalJson(each, source));
      if (index < 0) index = list.push(source) - 1;
      indices.set(source, index);
    }
    facts[path] = index;
  }
  return { sources: list, facts };
}

/** The same provenance as the same text, whatever was edited in which order: paths sorted, sources by their first use. */
export function orderedProvenance(provenance: Provenance): Provenance {
  const sources = new Map<FactPath, FactSource>();
  for (const path of Object.keys(provenance.facts).sort()) {
    const source = sourceOf(provenance, path);
    if (source) sources.set(path, source);
  }
  return provenanceFor(sources, sources);
}

/** Provenance after an edit: what differs from before is from `source`, the rest as it was. */
export function editedProvenance(
  before: Facts | null,
  provenance: Provenance,
  after: Facts,
  source: FactSource,
): Provenance {
  const was: FactMap = before ? flatten(unlike(before, after)) : new Map();
  const is = flatten(before ? unlike(after, before) : after);
  const sources = new Map<FactPath, FactSource>();
  // Groups that are the very same are not taken apart: a change over thousands touches one fact of each.
  for (const path of Object.keys(provenance.facts)) {
    const group = path.split("/", 1)[0] as keyof Facts;
    const kept = before && before[group] === after[group] ? sourceOf(provenance, path) : null;
    if (kept) sources.set(path, kept);
  }
  for (const [path, value] of is) {
    const kept = sameFact(was.get(path), value) ? sourceOf(provenance, path) : source;
    if (kept) sources.set(path, kept);
  }
  return provenanceFor(sources, sources);
}

/** The groups of some facts that are not the very same in others. */
function unlike(facts: Facts, others: Facts): Partial<Facts> {
  return Object.fromEntries(
    Object.entries(facts).filter(([group, value]) => others[group as keyof Facts] !== value),
  ) as Partial<Facts>;
}

/** An observation of whole facts, as from a facts file. */
export function observe(
  source: FactSource,
  facts: Parameters<typeof flatten>[0],
  complete: string[] = [],
): Observation {
  return { source, values: [...flatten(facts)], complete, rounded: [] };
}
