import { type Lapses, lacksFrom } from "../cover/lapses";
import type { Need } from "../cover/policy";
import type { FitLink } from "../cover/serving";
import { isMet, type NeedStanding } from "../cover/standing";
import type { FleetMedium } from "../fleet/world";
import { judgeProof } from "../judging/links/proven";
import type { ComputerPart, DrillPart, PolicyPart } from "../judging/model/parts";
import { dayAfter } from "../kernel/days";
import { itemAt } from "../kernel/item-at";
import type { LackCause } from "./causes";
import { AHEAD_DAYS, type DueItem, type DueReason, someOf } from "./due";

export interface ProofInput {
  computers: readonly ComputerPart[];
  media: readonly FleetMedium[];
  /** For each computer what it has of what is asked. */
  standings: readonly { row: number; needs: NeedStanding[] }[];
  lapses: Lapses;
  drillsOf: (medium: string) => DrillPart[];
  policyFor: (computer: ComputerPart) => PolicyPart;
  /** ISO day. */
  today: string;
  aheadDays?: number;
}

/** Until when a medium counts for a need: its proof lapses, or the image that it puts back grows too old. */
export interface End {
  /** Position of the medium. */
  at: number;
  /** ISO day on which it counts no more; null: it stays, as far as is looked. */
  on: string | null;
  /** It is the image that ends it. */
  isImage: boolean;
}

/** When each medium that counts today ceases to: by its own proof, or sooner by the age of the image that it needs. */
export function endsOf(
  lapses: Lapses,
  computer: ComputerPart,
  media: readonly FleetMedium[],
  { have, byImage }: NeedStanding,
): End[] {
  return have.map((at): End => {
    const on = lapses.of(computer, itemAt(media, at).part);
    const isImage = byImage !== null && byImage.media.includes(at) && (on === null || byImage.until < on);
    return isImage ? { at, on: byImage.until, isImage } : { at, on, isImage };
  });
}

/** The first day on which a computer lacks something of what is asked; null: it does not, as far as is looked. */
export function lacksOn(
  { computers, media, lapses }: ProofInput,
  row: number,
  needs: readonly NeedStanding[],
): string | null {
  const computer = itemAt(computers, row);
  const days = needs.flatMap((need) => {
    const ends = endsOf(lapses, computer, media, need).map(({ on }) => on);
    return lacksFrom(ends, need.wanted) ?? [];
  });
  return days.sort()[0] ?? null;
}

interface Gathered {
  item: Omit<DueItem, "loses">;
  loses: Set<string>;
}

/**
 * Drills and verifications that are due: media that stop being proven soon, by medium and model; and for computers that
 * lack something now the nearest medium that would count once it is proven. What breaks is told with its day.
 */
export function proofDue(input: ProofInput): DueItem[] {
  const { computers, media, lapses, today } = input;
  const until = dayAfter(today, input.aheadDays ?? AHEAD_DAYS);
  const found = new Map<string, Gathered>();
  const add = (item: Omit<DueItem, "loses" | "key">, about: string, loses: string | null) => {
    const key = [item.kind, ...(item.medium === null ? [] : [item.medium]), about].join(" ");
    const earlier = found.get(key);
    const gathered = earlier ?? { item: { ...item, key }, loses: new Set<string>() };
    // Of those that share it the one that breaks first tells where and when.
    if (!earlier || (item.breaksOn ?? "9999") < (earlier.item.breaksOn ?? "9999")) gathered.item = { ...item, key };
    if (loses !== null) gathered.loses.add(loses);
    found.set(key, gathered);
  };
  for (const { row, needs } of input.standings) {
    const computer = itemAt(computers, row);
    const model = modelOf(computer);
    for (const need of needs) {
      const { have, unproven, wanted } = need;
      const ends = endsOf(lapses, computer, media, need);
      const lacking = lacksFrom(
        ends.map(({ on }) => on),
        wanted,
      );
      for (const { at, on, isImage } of ends) {
        if (on === null || on > until) continue;
        const isLast = lacking !== null && on <= lacking;
        if (isImage) {
          const item = { medium: null, computer: computer.tag, site: computer.site, breaksOn: on };
          add(
            { kind: "image", ...item, reason: { code: "image-lapses", on } },
            computer.tag,
            isLast ? computer.tag : null,
          );
          continue;
        }
        const medium = itemAt(media, at);
        const kind = proofOn(input, computer, medium, on).wants;
        const why: DueReason =
          kind === "verification" ? { code: "verification-lapses", on } : { code: "drill-lapses", model, on };
        add(
          {
            ...{ kind, medium: medium.part.tag, computer: kind === "drill" ? computer.tag : null },
            ...{ site: computer.site, reason: why, breaksOn: on },
          },
          kind === "drill" ? (model ?? computer.tag) : "",
          isLast ? computer.tag : null,
        );
      }
      if (have.length >= wanted) continue;
      const [nearest] = [...unproven].sort(
        (a, b) => nearness(media, computer, a) - nearness(media, computer, b) || a - b,
      );
      if (nearest === undefined) continue;
      const medium = itemAt(media, nearest);
      const { ruling, wants: kind } = proofOn(input, computer, medium, today);
      const why: DueReason = { code: "not-proven", reason: ruling.reasons[0] ?? null };
      add(
        {
          ...{ kind, medium: medium.part.tag, computer: kind === "drill" ? computer.tag : null },
          ...{ site: computer.site, reason: why, breaksOn: null },
        },
        kind === "drill" ? (model ?? computer.tag) : "",
        computer.tag,
      );
    }
  }
  return [...found.values()].map(({ item, loses }) => ({ ...item, loses: someOf(loses) }));
}

function modelOf({ facts }: ComputerPart): string | null {
  const { make, model } = facts.computer;
  return make === null && model === null ? null : [make, model].filter(Boolean).join(" ");
}

function nearness(media: readonly FleetMedium[], { site }: ComputerPart, at: number): number {
  return media[at]?.part.site === site ? 0 : 1;
}

function proofOn(input: ProofInput, computer: ComputerPart, { part }: FleetMedium, day: string) {
  const policy = input.policyFor(computer);
  return judgeProof({ computer, medium: part, drills: input.drillsOf(part.tag), policy, today: day });
}

/**
 * Why a computer lacks something from the day on which it does (`lacksOn`); now where that is null. `failsAt`: at which
 * link what comes furthest fails where nothing near fits.
 */
export function causeOf(
  input: ProofInput,
  row: number,
  needs: readonly NeedStanding[],
  on: string | null,
  failsAt: (need: Need) => FitLink,
): LackCause {
  if (on === null) {
    const unfit = needs.find(({ have, unproven, wanted }) => have.length + unproven.length < wanted);
    return unfit ? failsAt(unfit.need) : "unproven";
  }
  const { computers, media, lapses } = input;
  const computer = itemAt(computers, row);
  const lapsing = needs.flatMap((need) => endsOf(lapses, computer, media, need)).find((end) => end.on === on);
  if (lapsing?.isImage) return "image";
  return lapsing ? proofOn(input, computer, itemAt(media, lapsing.at), on).wants : "drill";
}

/** Computers that have what is asked on each of some days, if nothing is done. */
export function metOn(input: ProofInput, days: readonly string[]): { on: string; met: number }[] {
  const ends = input.standings.map(({ row, needs }) => (isMet(needs) ? (lacksOn(input, row, needs) ?? "9999") : ""));
  return days.map((on) => ({ on, met: ends.filter((end) => end > on).length }));
}
