import { withNewDisk } from "../computer/needs/system-disk";
import { chainPolicy, Policies, type PolicyValues, USUAL_VALUES } from "../cover/policy";
import { Ways } from "../cover/standing";
import { travelTable } from "../cover/travel";
import type { FleetMedium, World } from "../fleet/world";
import { compareText, sameName } from "../judging/links/versions";
import type { ComputerPart, MediumPart, ReleasePart } from "../judging/model/parts";
import { DriverIndex } from "../medium/drivers/driver-set";
import type { Attachment } from "../medium/inspection/schema";
import { type WorldDocument, type WorldMedium, type WorldRelease, worldSchema } from "./schema";
import { viewsStartedBy } from "./views";

/** A world with what is told beside it: how its media are kept, and the ways between its sites. */
export interface ReadWorld {
  world: World;
  kinds: Map<string, WorldMedium["kind"]>;
  ways: Ways;
  policyOf: (computer: ComputerPart) => PolicyValues;
}

/** What keeps a text from being a world: where, and what was told against it. */
export type WorldReading = { ok: true; document: WorldDocument } | { ok: false; at: string | null; told: string };

/** Reads `creel.world/1`. Names that nothing bears are told too: a medium's release, an image's computer. */
export function readWorld(value: unknown): WorldReading {
  const parsed = worldSchema.safeParse(value);
  if (!parsed.success) {
    // The first fault is told, with its path: the others often follow from it.
    const issue = parsed.error.issues[0];
    return { ok: false, at: issue?.path.join(".") || null, told: issue?.message ?? "it does not fit the form" };
  }
  const releases = new Set(parsed.data.releases.map(({ name }) => name));
  for (const [at, medium] of parsed.data.media.entries())
    for (const release of medium.releases)
      if (!releases.has(release))
        return { ok: false, at: `media.${at}.releases`, told: `there is no release "${release}"` };
  for (const kind of ["computers", "media"] as const) {
    // Two of one tag would be judged as one, and the later one silently win.
    const tags = parsed.data[kind].map(({ tag }) => tag);
    const twice = tags.find((tag, at) => tags.indexOf(tag) !== at);
    if (twice !== undefined) return { ok: false, at: kind, told: `the tag "${twice}" is there twice` };
  }
  return { ok: true, document: parsed.data };
}

/** A document as what chains are judged from. */
export function worldOf(document: WorldDocument): ReadWorld {
  // The document's own policy is that of everywhere; its rules are for fewer.
  const everywhere = { id: 0, scope: "everywhere" as const, target: "", values: document.policy };
  const policies = new Policies([everywhere, ...document.rules.map((rule, at) => ({ ...rule, id: at + 1 }))]);
  const policyOf = ({ tag, site, facts: { computer } }: ComputerPart) => {
    const { form, make, model } = computer;
    return policies.of({ tag, site, form, make, model }).values;
  };
  const releases = document.releases.map(releaseOf);
  const byName = new Map(releases.map((release) => [release.name, release]));
  const computers = document.computers.map(computerOf);
  const media = document.media.map((medium) => mediumOf(medium, document.media, byName));
  const places = placesOf(document);
  const position = new Map(places.map((name, at) => [name, at]));
  // Every end of a leg is among the places, which were made of them.
  const legs = document.travel.map(([from, to, minutes]) => ({
    ...{ from: position.get(from) as number, to: position.get(to) as number, minutes },
  }));
  return {
    world: {
      ...{ computers, media, images: document.images, drills: document.drills, today: document.today },
      releases: releases.map((part) => ({
        part,
        media: document.media.filter((medium) => medium.releases.includes(part.name)).map(({ tag }) => tag),
      })),
      policy: chainPolicy({ ...USUAL_VALUES, ...document.policy }),
      policyFor: (computer) => chainPolicy(policyOf(computer)),
      releasedOn: (name, version) =>
        document.calendars.find(
          // A calendar without a version speaks of every one of that product.
          (each) => sameName(each.name, name) && (each.version === null || each.version === version),
        )?.on ?? null,
    },
    kinds: new Map(document.media.map(({ tag, kind }) => [tag, kind])),
    ways: new Ways(places, travelTable(places.length, legs)),
    policyOf,
  };
}

function placesOf({ sites, travel, computers, media }: WorldDocument): string[] {
  const told = [
    ...sites.map(({ name }) => name),
    ...travel.flatMap(([from, to]) => [from, to]),
    ...[...computers, ...media].flatMap(({ site }) => site ?? []),
  ];
  return [...new Set(told)].sort(compareText);
}

function computerOf({ tag, site, facts, newDisk, imagesOf }: WorldDocument["computers"][number]): ComputerPart {
  if (newDisk === null) return { tag, site, facts, imagesOf };
  const { facts: changed, told, old } = withNewDisk(facts, newDisk);
  return { tag, site, facts: changed, toldDisk: told, oldDisk: old, imagesOf };
}

/** Kit and version of a release; "Lantern 12" tells them where they are not told apart. */
export function kitAndVersion({ name, kit, version }: Pick<WorldRelease, "name" | "kit" | "version">): {
  kit: string;
  version: string;
} {
  // The last word with a digit in it is the version; a name without one has none.
  const [, named = name, numbered = ""] = /^(.*?)\s+(\S*\d\S*)$/.exec(name) ?? [];
  return { kit: kit ?? named, version: version ?? numbered };
}

function releaseOf({ drivers, ...release }: WorldRelease): ReleasePart {
  const lists = drivers === null ? null : [drivers].flat();
  return {
    ...release,
    ...kitAndVersion(release),
    // What a release that reinstalls includes is for that, where nobody said.
    systems:
      release.systems?.map((system) => ({
        ...system,
        role: system.role ?? (release.facts.purposes.includes("reinstall") ? "installs" : "runs"),
      })) ?? null,
    drivers:
      lists &&
      // An .inf is for every kernel of its family; modules are for the one they were built for, which a document need
      // not name: they came with it.
      new DriverIndex(lists.map((list) => ({ ...list, path: "told", kernel: list.kind === "inf" ? null : "" }))),
  };
}

function attachmentOf(kind: WorldMedium["kind"]): Attachment | null {
  if (kind === "optical") return "optical";
  return kind === "file" ? null : "usb";
}

function mediumOf(
  medium: WorldMedium,
  all: readonly WorldMedium[],
  releases: ReadonlyMap<string, ReleasePart>,
): FleetMedium {
  const { tag, kind, onComputer, site, lentTo, retired, condition, writtenOn, verified } = medium;
  const as = attachmentOf(kind);
  // A boot entry lies on one computer's own disk: it is no copy that could be fetched from anywhere.
  const isCopy = (other: WorldMedium) =>
    other !== medium &&
    !other.retired &&
    other.kind !== "entry" &&
    other.releases.some((name) => medium.releases.includes(name));
  const part: MediumPart = {
    ...{ tag, kind, onComputer, site, lentTo, retired, condition, writtenOn, verified },
    copies: all.filter(isCopy).map((other) => ({ tag: other.tag, site: other.site })),
  };
  // What was really read goes before what was told of it.
  const views = medium.inspection?.views ?? (medium.startsBy && viewsStartedBy(medium.startsBy, as ?? "usb"));
  return {
    ...{ part, as, fault: null },
    views: views && { key: JSON.stringify(views), views },
    releases: medium.releases.flatMap((name): ReleasePart[] => {
      const release = releases.get(name);
      const startedBy = medium.startedBy?.[name];
      return release ? [startedBy ? { ...release, startedBy } : release] : [];
    }),
  };
}
