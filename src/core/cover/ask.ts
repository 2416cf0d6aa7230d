import type { FleetMedium } from "../fleet/world";
import { type ComputerPart, isCarried } from "../judging/model/parts";
import { itemAt } from "../kernel/item-at";
import type { Alternative } from "../making/planning/plan";
import { NEEDS, type Need, type Policies, type Resolved } from "./policy";
import type { CoverContent, CoverDemand, CoverMedium, CoverProblem } from "./problem";
import { type CoverSettings, PRICED, type Priced } from "./result";
import { SERVES, type Serving } from "./serving";
import { isMet, standingOf, tooOldImage, type Ways } from "./standing";

/** A medium with what a plan has to know of it beside its chains. */
export interface StockMedium extends FleetMedium {
  kind: string;
  capacityBytes: number | null;
  /** Images are kept on it, or it is a store: nothing else is ever written to it. */
  isStore: boolean;
}

/** A release made in one way, or several together, as a medium that is not there yet. */
export interface CoverCandidate {
  releaseId: number;
  /** Those that stand beside it, by their ids. */
  besideIds?: number[];
  /** All of them by name, its own first. */
  releases: [string, ...string[]];
  way: Alternative["way"];
  neededBytes: number;
  medium: FleetMedium;
}

export interface Asked {
  computers: readonly (ComputerPart & { name: string | null })[];
  stock: readonly StockMedium[];
  candidates: readonly CoverCandidate[];
  /** Of the stock, then of the candidates. */
  serving: Serving;
  ways: Ways;
  policies: Policies;
  /** Who a computer is to the policies. */
  policyOf: (computer: ComputerPart) => Resolved;
  settings: CoverSettings;
}

/** What a content of the problem stands for. */
type ContentMeaning =
  | { of: "candidate"; candidate: number; size: Priced | null }
  | { of: "stock"; medium: number }
  | { of: "blank"; size: Priced | null };

interface DemandMeaning {
  need: Need | "spare";
  /** Positions of computers; none of a spare. */
  computers: number[];
  site: string;
}

/** A problem, and what its numbers stand for. */
export interface Meaning {
  asked: Asked;
  problem: CoverProblem;
  contents: ContentMeaning[];
  /** For each medium of the problem, its position in the stock. */
  media: number[];
  demands: DemandMeaning[];
  metNow: number;
  placeless: number[];
  /** Positions in the stock: the computers on which it is to be proven, one of each model. */
  drills: Map<number, string[]>;
}

/** What a stick has at least of the size that it is sold as. Common practice. */
const TRUE_SHARE = 0.93;
const SIZES: Record<Priced, number> = {
  ...{ "8 GB": 8e9, "16 GB": 16e9, "32 GB": 32e9, "64 GB": 64e9, "128 GB": 128e9, disc: 0 },
};
/** The least that is worth keeping as a blank. Common practice. */
const BLANK_BYTES = 7e9;

/** The cheapest size that is to be had and holds so much. */
export function sizeFor(device: "stick" | "disc", neededBytes: number, prices: CoverSettings["prices"]): Priced | null {
  if (device === "disc") return prices.disc == null ? null : "disc";
  const fitting = PRICED.filter((size) => size !== "disc" && SIZES[size] * TRUE_SHARE >= neededBytes);
  const priced = fitting.filter((size) => prices[size] != null);
  return priced.sort((a, b) => (prices[a] ?? 0) - (prices[b] ?? 0) || SIZES[a] - SIZES[b])[0] ?? null;
}

/** The problem of cover, as numbers, from the inventory. */
export function askCover(asked: Asked): Meaning {
  const { stock, settings, ways, computers, serving } = asked;
  const contents: CoverContent[] = [];
  const meanings: ContentMeaning[] = [];
  const add = (content: CoverContent, meaning: ContentMeaning) => {
    contents.push(content);
    return meanings.push(meaning) - 1;
  };
  const priceOf = (size: Priced | null) => (size === null ? null : (settings.prices[size] ?? null));
  const candidateContent = asked.candidates.map(({ way, neededBytes, releases }, candidate) => {
    const device = way === "disc" ? ("disc" as const) : ("stick" as const);
    const size = sizeFor(device, neededBytes, settings.prices);
    const isOut = releases.some((name) => settings.without.includes(name));
    return add(
      {
        ...{ device, price: isOut ? null : priceOf(size), neededBytes: isOut ? null : neededBytes },
        // Each of several releases is tried by itself.
        workMinutes: settings.writeMinutes + settings.drillMinutes * releases.length,
      },
      { of: "candidate", candidate, size },
    );
  });
  // What stands on media now: alike where firmware and people find the same on them.
  const stockContent = new Map<string, number>();
  const membersOf = new Map<number, number[]>();
  const contentOf = stock.map((medium, at): number | null => {
    const { part, views, as, releases, kind, isStore } = medium;
    if (!isCarried(kind) || part.condition === "distrusted" || releases.length === 0) return null;
    const key = JSON.stringify([
      views?.key ?? part.tag,
      as,
      releases.map(({ name, startedBy }) => [name, startedBy ?? null]),
      isStore ? part.tag : null,
    ]);
    const device = deviceOf(medium);
    const content =
      stockContent.get(key) ??
      add({ device, neededBytes: null, price: null, workMinutes: 0 }, { of: "stock", medium: at });
    stockContent.set(key, content);
    membersOf.set(content, [...(membersOf.get(content) ?? []), at]);
    return content;
  });
  const blankSize = sizeFor("stick", BLANK_BYTES, settings.prices);
  const blank = add(
    { device: "stick", neededBytes: BLANK_BYTES, price: priceOf(blankSize), workMinutes: 0, isBlank: true },
    { of: "blank", size: blankSize },
  );

  const groups = groupsOf(asked);
  const demands = new Map<string, { demand: CoverDemand; meaning: DemandMeaning }>();
  const ask = (demand: CoverDemand, need: Need | "spare", who: readonly number[]) => {
    // What is asked alike for another need is told apart, and decides nothing by itself.
    const key = JSON.stringify([need, demand]);
    const ownDemand = demands.get(key) ?? {
      demand,
      meaning: { need, computers: [], site: itemAt(ways.places, demand.site) },
    };
    ownDemand.meaning.computers.push(...who.filter((row) => !ownDemand.meaning.computers.includes(row)));
    demands.set(key, ownDemand);
  };
  let metNow = 0;
  const unprovenOn = new Map<number, Map<string, string>>();
  for (const { members, site, policy } of groups) {
    const [first] = members;
    if (first === undefined) continue;
    const { values } = policy;
    const computer = itemAt(computers, first);
    const standing = standingOf(serving, ways, computer, first, values);
    if (isMet(standing)) metNow += members.length;
    for (const { unproven } of standing)
      for (const at of unproven) {
        if (at >= stock.length) continue;
        const modelsOf = unprovenOn.get(at) ?? new Map<string, string>();
        unprovenOn.set(at, modelsOf);
        for (const member of members) noteModel(modelsOf, itemAt(computers, member));
      }
    const withImages = tooOldImage(serving, first, values) === null;
    for (const need of NEEDS) {
      if (values[need] === 0) continue;
      const serves = serving.row(first, need, values.changesAllowed, withImages);
      const servedBy = [
        ...candidateContent.filter((_, nth) => serves[stock.length + nth] !== SERVES.not),
        ...[...membersOf].flatMap(([content, media]) =>
          media.some((at) => serves[at] !== SERVES.not) ? [content] : [],
        ),
      ].sort((a, b) => a - b);
      ask({ site, withinMinutes: values.withinMinutes, routes: values[need], servedBy }, need, members);
    }
  }
  for (const [site, name] of ways.places.entries()) {
    const isUsed = groups.some((group) => group.site === site) || stock.some(({ part }) => part.site === name);
    const { spares } = asked.policies.ofSite(name).values;
    if (isUsed && spares > 0) ask({ site, withinMinutes: 0, routes: spares, servedBy: [blank] }, "spare", []);
  }

  // What serves nobody is nothing that can be counted upon.
  const useful = new Set([...demands.values()].flatMap(({ demand }) => demand.servedBy));
  const countedOn = (content: number | null | undefined) => (content != null && useful.has(content) ? content : null);
  const placed = stock.flatMap((medium, at) => {
    const site = ways.position(medium.part.site);
    const isOut = !isCarried(medium.kind) || medium.part.condition === "distrusted" || site === null;
    return isOut ? [] : [{ at, site, medium }];
  });
  const media = placed.map(({ at, site, medium }): CoverMedium => {
    const { part, kind, isStore, releases } = medium;
    const isPinned = settings.keep.includes(part.tag);
    const isBlank = kind === "usb" && releases.length === 0 && !isStore;
    return {
      ...{ site, device: deviceOf(medium), bytes: medium.capacityBytes ?? 0, isPinned },
      content: countedOn(contentOf[at]) ?? (isBlank ? blank : null),
      mayBeRewritten: kind === "usb" && !isStore && part.condition !== "worn",
      mayMove: true,
      proofMinutes: (unprovenOn.has(at) ? settings.drillMinutes : 0) + (part.lentTo === null ? 0 : ASKING_BACK_MINUTES),
    };
  });
  const all = [...demands.values()];
  return {
    asked,
    problem: {
      ...{ travel: ways.table.map((row) => [...row]), contents, media },
      demands: all.map(({ demand }) => demand),
      rates: { workHour: settings.workHour, travelHour: settings.travelHour, purchase: 1 },
      noPurchase: settings.noPurchase.flatMap((name) => ways.position(name) ?? []),
    },
    contents: meanings,
    media: placed.map(({ at }) => at),
    demands: all.map(({ meaning }) => meaning),
    metNow,
    placeless: computers.flatMap(({ site }, row) => (ways.position(site) === null ? [row] : [])),
    drills: new Map([...unprovenOn].map(([at, models]) => [at, [...models.values()].sort()])),
  };
}

/** Attended minutes to ask somebody for a medium that is lent. */
const ASKING_BACK_MINUTES = 10;

function deviceOf({ kind }: StockMedium): "stick" | "disc" {
  return kind === "optical" ? "disc" : "stick";
}

/** Keeps of each model the first computer by its tag. */
export function noteModel(models: Map<string, string>, { tag, facts }: ComputerPart): void {
  const { make, model } = facts.computer;
  const key = make === null && model === null ? tag : JSON.stringify([make, model]);
  const keptModel = models.get(key);
  if (keptModel === undefined || tag < keptModel) models.set(key, tag);
}

interface Group {
  members: number[];
  site: number;
  policy: Resolved;
}

/** Computers that differ in nothing that cover depends on, together. */
function groupsOf({ computers, serving, ways, policyOf }: Asked): Group[] {
  const groups = new Map<string, Group>();
  const numbers = new Map<Resolved, number>();
  for (const [row, computer] of computers.entries()) {
    const site = ways.position(computer.site);
    if (site === null) continue;
    const policy = policyOf(computer);
    const number = numbers.get(policy) ?? numbers.size;
    numbers.set(policy, number);
    const key = `${site} ${number} ${serving.classOf(row) ?? `own ${row}`}`;
    const group = groups.get(key);
    if (group) group.members.push(row);
    else groups.set(key, { members: [row], site, policy });
  }
  return [...groups.values()];
}
