import { sameFact } from "@/core/computer/facts/merge";
import { type FactMap, flatten } from "@/core/computer/facts/paths";
import { factTitle, factValueText } from "@/core/words/facts";
import { visible } from "@/core/words/visible";
import { timeText } from "./words";

export interface FactDifference {
  title: string;
  before: string;
  after: string;
}

const OWN_FIELDS: Record<string, string> = {
  tag: "Tag",
  name: "Name",
  siteId: "Site",
  note: "Note",
  retiredAt: "Retired",
  make: "Make",
  model: "Model",
  serial: "Serial",
  form: "Form factor",
};
const GROUPS = ["firmware", "cpu", "ports", "memoryBytes", "disks", "systems", "devices"] as const;

/**
 * The fields of a computer as the event log has them, before and after, told fact by fact: only those that differ.
 * `siteText` names a place as it is stored.
 */
export function factDifferences(
  before: Record<string, unknown>,
  after: Record<string, unknown>,
  siteText: (value: unknown) => string,
): FactDifference[] {
  const changed = Object.keys(after).flatMap((field): FactDifference[] => {
    const title = OWN_FIELDS[field];
    if (!title || (before[field] ?? null) === (after[field] ?? null)) return [];
    const text = (value: unknown) => ownText(field, value, siteText);
    return [{ title, before: text(before[field]), after: text(after[field]) }];
  });
  const [was, is] = [factsOf(before), factsOf(after)];
  const paths = [...new Set([...was.keys(), ...is.keys()])].filter((path) => !sameFact(was.get(path), is.get(path)));
  // A thing that came or went is one difference, not one for each of its facts.
  const things = paths.filter((path) => IS_THING.test(path)).map((path) => path.slice(0, path.lastIndexOf("/")));
  const whole = things.filter((thing) => !things.some((other) => thing.startsWith(`${other}/`)));
  const facts = paths
    .filter((path) => !whole.some((thing) => path.startsWith(`${thing}/`)))
    .map((path) => ({
      title: factTitle(path),
      before: factValueText(path, was.get(path) ?? null),
      after: factValueText(path, is.get(path) ?? null),
    }));
  const cameOrWent = whole.map((thing) => ({
    title: factTitle(thing),
    before: thingText(was, thing),
    after: thingText(is, thing),
  }));
  return [...changed, ...facts, ...cameOrWent];
}

/** The fact that every disk, partition or system has: where it differs from nothing, the thing came or went. */
const IS_THING = /^(disks\/[^/]+\/name|disks\/[^/]+\/partitions\/\d+\/number|systems\/[^/]+\/name)$/;
const TOLD = ["bytes", "filesystem", "role", "model", "serial", "version"];

function thingText(facts: FactMap, thing: string): string {
  const told = TOLD.flatMap((leaf) => {
    const value = facts.get(`${thing}/${leaf}`);
    return value === undefined ? [] : [factValueText(`${thing}/${leaf}`, value)];
  });
  const there = [...facts.keys()].some((path) => path.startsWith(`${thing}/`));
  return told.join(", ") || (there ? "there" : "none");
}

function factsOf(fields: Record<string, unknown>): FactMap {
  return flatten(Object.fromEntries(GROUPS.map((group) => [group, fields[group] ?? null])));
}

function ownText(field: string, value: unknown, siteText: (value: unknown) => string): string {
  if (value === null || value === undefined) return field === "retiredAt" ? "in service" : "not recorded";
  if (field === "siteId") return siteText(value);
  if (field === "retiredAt") return timeText(String(value));
  return visible(String(value), 120);
}
