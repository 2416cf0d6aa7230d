import { statedText } from "../../kernel/stated-values";
import type { Facts } from "./schema";

/** What tells one computer from another, as its facts have it. Texts in small letters where letter case says nothing. */
export interface Identity {
  tag: string | null;
  make: string | null;
  serial: string | null;
  uuid: string | null;
  addresses: string[];
  /** Serials of the disks that are built in. */
  disks: string[];
}

/** By what a computer is recognised, the surest first: its board's number, its serial, built-in network devices, disks. */
export const IDENTITY_KINDS = ["uuid", "serial", "address", "disk"] as const;
export type IdentityKind = (typeof IDENTITY_KINDS)[number];

/** What makers count up to where no number was given (common practice). */
const COUNTED = /^0?123456789(0|a|ab|abc|abcdef)?$/;

/** What is stated, in small letters; fillers are everybody's, and tell nobody from another. */
function small(text: string | null): string | null {
  const stated = statedText(text)?.toLowerCase() ?? null;
  return stated === null || COUNTED.test(stated) ? null : stated;
}

export function identityOf({ computer, disks }: Pick<Facts, "computer" | "disks">): Identity {
  const { tag, make, serial, uuid, addresses } = computer;
  const own = (disks ?? []).flatMap((disk) => (disk.removable === true ? [] : (small(disk.serial) ?? [])));
  return {
    ...{ tag: small(tag), make: small(make), serial: small(serial), uuid },
    ...{ addresses: addresses ?? [], disks: [...new Set(own)].sort() },
  };
}

/** The values of one kind; empty where nothing is told. */
export function valuesOf(identity: Identity, kind: IdentityKind): string[] {
  switch (kind) {
    case "uuid":
      return identity.uuid === null ? [] : [identity.uuid];
    case "serial":
      return identity.serial === null ? [] : [identity.serial];
    case "address":
      return identity.addresses;
    case "disk":
      return identity.disks;
  }
}

/** What both of them tell: the later one's where the earlier says nothing, and all addresses and disks that either has. */
export function joinedIdentity(earlier: Identity, later: Identity): Identity {
  const all = (one: string[], other: string[]) => [...new Set([...one, ...other])].sort();
  return {
    ...{ tag: later.tag ?? earlier.tag, make: later.make ?? earlier.make },
    ...{ serial: later.serial ?? earlier.serial, uuid: later.uuid ?? earlier.uuid },
    ...{ addresses: all(earlier.addresses, later.addresses), disks: all(earlier.disks, later.disks) },
  };
}

/** A computer that a report may be of: by what it is the same, and what of it is another. */
export interface Likeness {
  same: (IdentityKind | "tag")[];
  other: (IdentityKind | "make")[];
}

export function likeness(told: Identity, recorded: Identity): Likeness {
  const same: Likeness["same"] = [];
  const other: Likeness["other"] = [];
  if (told.tag !== null && told.tag === recorded.tag) same.push("tag");
  if (told.make !== null && recorded.make !== null && told.make !== recorded.make) other.push("make");
  for (const kind of IDENTITY_KINDS) {
    const [own, theirs] = [valuesOf(told, kind), valuesOf(recorded, kind)];
    if (own.length === 0 || theirs.length === 0) continue;
    if (own.some((value) => theirs.includes(value))) same.push(kind);
    else other.push(kind);
  }
  return { same, other };
}

/**
 * The recorded computer that a report is of, where that is beyond doubt: one alone is the same by the surest that the
 * report tells and anybody has, and nothing as sure speaks against it. Serial numbers are a maker's own, so that two makers
 * may give the same one. Disks move from computer to computer: they tell only where nothing else is recorded. Null: none,
 * or a person has to decide among `candidates`.
 */
export function recognised<T extends { identity: Identity }>(told: Identity, candidates: readonly T[]): T | null {
  const judged = candidates.map((each) => ({ each, ...likeness(told, each.identity) }));
  for (const kind of ["tag", ...IDENTITY_KINDS] as const) {
    const alike = judged.filter(({ same }) => same.includes(kind));
    if (alike.length === 0) continue;
    const [only, ...others] = alike;
    if (!only || others.length > 0) return null;
    return isBeyondDoubt(kind, only) ? only.each : null;
  }
  return null;
}

function isBeyondDoubt(kind: IdentityKind | "tag", { same, other }: Likeness): boolean {
  switch (kind) {
    case "tag":
      // A tag is written on, and is typed: another board or serial is another computer.
      return !other.includes("uuid") && !other.includes("serial");
    case "uuid":
      return !other.includes("serial");
    case "serial":
      return !other.includes("uuid") && !other.includes("make");
    case "address":
      return !other.includes("uuid") && !other.includes("serial");
    case "disk":
      return other.length === 0 && same.includes("disk");
  }
}

/** What a report is known by when it comes again just so: all that it tells of the kind; null where it tells nothing. */
export function identityKey(identity: Identity): string | null {
  if (IDENTITY_KINDS.every((kind) => valuesOf(identity, kind).length === 0)) return null;
  const { make, serial, uuid, addresses, disks } = identity;
  return JSON.stringify([make, serial, uuid, addresses, disks]);
}
