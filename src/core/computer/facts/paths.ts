import { z } from "zod";
import { lastOf } from "../../kernel/item-at";
import { type DiskFacts, type DiskPartition, FACTS_SCHEMA, type Facts, factsSchema, type SystemFacts } from "./schema";

/**
 * Facts one by one. A path names one fact of a computer: "firmware/kind", "disks/sda/bytes",
 * "disks/sda/partitions/2/filesystem", "systems/kittiwake/version", "devices/pci". Merging, provenance and history
 * speak of facts by these paths.
 */
export type FactPath = string;
export const factValueSchema = z.json().refine((value) => value !== null, "null is not a fact");
export type FactValue = z.infer<typeof factValueSchema>;
export type FactMap = Map<FactPath, FactValue>;

type Deep<T> = T extends (infer E)[] ? E[] : T extends object ? { [K in keyof T]?: Deep<T[K]> | null } : T;
export type PartialDisk = Partial<Omit<DiskFacts, "partitions" | "name">> & {
  name: string;
  partitions?: (Partial<Omit<DiskPartition, "number">> & { number: number })[];
};
/** Facts as one source tells them: what it does not tell is left out. */
export interface PartialFacts extends Deep<Omit<Facts, "schema" | "disks" | "systems" | "collected">> {
  disks?: PartialDisk[] | null;
  systems?: (Partial<SystemFacts> & { name: string })[] | null;
}

const GROUPS = ["computer", "firmware", "cpu", "ports"] as const;
/** Values that stay whole though they are lists. */
const isLeaf = (value: unknown) => typeof value !== "object" || value === null || Array.isArray(value);

/** A name as a part of a path. */
export function pathPart(name: string): string {
  return name.replaceAll("%", "%25").replaceAll("/", "%2F");
}

/** The name that a part of a path stands for. The percent sign is undone last, or "%252F" would become a slash. */
export function nameOfPart(part: string): string {
  return part.replaceAll("%2F", "/").replaceAll("%25", "%");
}

/** Every fact that is known, by path. */
export function flatten(facts: PartialFacts | Facts): FactMap {
  const map: FactMap = new Map();
  const put = (path: string, value: unknown) => {
    if (value !== null && value !== undefined) map.set(path, value as FactValue);
  };
  const walk = (prefix: string, value: unknown) => {
    if (isLeaf(value)) put(prefix, value);
    else for (const [key, each] of Object.entries(value as object)) walk(`${prefix}/${key}`, each);
  };
  for (const group of GROUPS) if (facts[group]) walk(group, facts[group]);
  put("memoryBytes", facts.memoryBytes);
  const used = new Set<string>();
  for (const disk of facts.disks ?? []) {
    const key = unusedKey(pathPart(disk.name) || "disk", used);
    const { partitions, ...own } = disk;
    walk(`disks/${key}`, own);
    for (const { number, ...partition } of partitions ?? []) {
      put(`disks/${key}/partitions/${number}/number`, number);
      walk(`disks/${key}/partitions/${number}`, partition);
    }
  }
  const usedSystems = new Set<string>();
  for (const system of facts.systems ?? [])
    walk(`systems/${unusedKey(pathPart(system.name.toLowerCase()) || "system", usedSystems)}`, system);
  if (facts.devices) {
    const sorted = [...facts.devices].sort((a, b) => (a.modalias < b.modalias ? -1 : a.modalias > b.modalias ? 1 : 0));
    for (const bus of ["pci", "usb", "other"] as const) {
      const ofBus = sorted.filter((device) => busOf(device.modalias) === bus);
      if (ofBus.length > 0) put(`devices/${bus}`, ofBus);
    }
    if (facts.devices.length === 0) put("devices/pci", []);
  }
  return map;
}

function unusedKey(name: string, used: Set<string>): string {
  let key = name;
  for (let copy = 2; used.has(key); copy++) key = `${name}~${copy}`;
  used.add(key);
  return key;
}

function busOf(modalias: string): "pci" | "usb" | "other" {
  return modalias.startsWith("pci:") ? "pci" : modalias.startsWith("usb:") ? "usb" : "other";
}

/** What could not be put together. */
export type LeftOut = { code: "disk-without-size"; disk: string } | { code: "value-unfit"; at: string; told: string };

export interface Assembly {
  facts: Facts;
  left: LeftOut[];
  /** The keys of disks in the paths that were given, and in the paths of these facts. */
  diskKeys: Map<string, string>;
}

/** Facts back from their paths. A disk without a size, or a fact that does not fit the form, is left out and told. */
export function assemble(map: FactMap): Assembly {
  const left: LeftOut[] = [];
  const tree: Record<string, unknown> = { schema: FACTS_SCHEMA };
  const disks = new Map<string, Record<string, unknown> & { partitions: Map<number, Record<string, unknown>> }>();
  const systems = new Map<string, Record<string, unknown>>();
  const devices: unknown[] = [];
  let devicesKnown = false;
  for (const [path, value] of map) {
    const parts = path.split("/");
    const [head, key = "", ...rest] = parts;
    if (head === "disks") {
      const disk = disks.get(key) ?? { partitions: new Map() };
      disks.set(key, disk);
      if (rest[0] === "partitions") {
        const number = Number(rest[1]);
        const partition = disk.partitions.get(number) ?? { number };
        disk.partitions.set(number, partition);
        setDeep(partition, rest.slice(2), value);
      } else setDeep(disk, rest, value);
    } else if (head === "systems") {
      const system = systems.get(key) ?? {};
      systems.set(key, system);
      setDeep(system, rest, value);
    } else if (head === "devices") {
      devicesKnown = true;
      if (Array.isArray(value)) devices.push(...value);
    } else setDeep(tree, parts, value);
  }
  const diskKeys = new Map<string, string>();
  const used = new Set<string>();
  const wholeDisks = [...disks].flatMap(([key, { partitions, ...disk }]) => {
    disk.name ??= nameOfPart(key);
    if (typeof disk.bytes !== "number") {
      left.push({ code: "disk-without-size", disk: String(disk.name) });
      return [];
    }
    diskKeys.set(key, unusedKey(pathPart(String(disk.name)) || "disk", used));
    const sized = [...partitions.values()].filter((each) => typeof each.bytes === "number");
    return [{ blank: null, ...disk, partitions: sized.sort((a, b) => (a.number as number) - (b.number as number)) }];
  });
  if (disks.size > 0) tree.disks = wholeDisks;
  if (systems.size > 0)
    tree.systems = [...systems].map(([key, system]) => ({ ...system, name: system.name ?? nameOfPart(key) }));
  if (devicesKnown) tree.devices = devices;
  return { facts: fitting(tree, left), left, diskKeys };
}

/** Prototype members are no facts. */
const FORBIDDEN = new Set(["__proto__", "constructor", "prototype"]);

function setDeep(target: Record<string, unknown>, parts: string[], value: unknown): void {
  let at = target;
  for (const part of parts.slice(0, -1)) {
    if (FORBIDDEN.has(part)) return;
    const next = at[part];
    if (typeof next === "object" && next !== null && !Array.isArray(next)) at = next as Record<string, unknown>;
    else {
      const made: Record<string, unknown> = {};
      at[part] = made;
      at = made;
    }
  }
  const last = parts.at(-1);
  if (last !== undefined && !FORBIDDEN.has(last)) at[last] = value;
}

/** The form's own parse; a value that it refuses is taken out and told, at most so many. */
const REFUSED_MAX = 200;

function fitting(tree: Record<string, unknown>, left: LeftOut[]): Facts {
  for (let round = 0; round < REFUSED_MAX; round++) {
    const parsed = factsSchema.safeParse(tree);
    if (parsed.success) return parsed.data;
    const issue = parsed.error.issues[0];
    if (!issue || issue.path.length === 0) break;
    left.push({ code: "value-unfit", at: issue.path.join("/"), told: issue.message });
    removeDeep(tree, issue.path);
  }
  return factsSchema.parse({ schema: FACTS_SCHEMA });
}

/** Takes out the value at a path; in a list of things, the whole thing. */
function removeDeep(tree: unknown, path: PropertyKey[]): void {
  let at = tree as Record<PropertyKey, unknown>;
  for (const part of path.slice(0, -1)) {
    const next = at[part];
    if (typeof next !== "object" || next === null) {
      delete at[part];
      return;
    }
    at = next as Record<PropertyKey, unknown>;
  }
  const last = lastOf(path);
  if (Array.isArray(at)) at.splice(Number(last), 1);
  else delete at[last];
}
