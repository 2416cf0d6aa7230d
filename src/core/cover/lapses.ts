import type { ComputerPart, DrillPart, MediumPart, PolicyPart } from "../chain/parts";
import { judgeProven, type ProvenInput } from "../links/proven";
import { plainName } from "../links/versions";

/** So far ahead a lapse is looked for: two years cover every greatest age that anybody plans by. */
export const HORIZON_DAYS = 731;

/** An ISO day some days later. */
export function dayAfter(day: string, days: number): string {
  return new Date(Date.parse(`${day}T00:00:00Z`) + days * 86_400_000).toISOString().slice(0, 10);
}

/** Days on which an age can pass its limit. */
function turningDays({ medium, drills, policy }: ProvenInput): string[] {
  const { verified } = medium;
  const aged = (on: string | null | undefined, most: number | null) =>
    on && most !== null ? [dayAfter(on.slice(0, 10), most + 1)] : [];
  return [
    ...drills.flatMap(({ on }) => aged(on, policy.drillDays)),
    ...aged(verified?.on, policy.verificationDays),
    ...aged(verified?.sampledOn, policy.verificationDays),
  ].sort();
}

/**
 * The first day on which a medium that is proven on a computer is so no more, if nothing is done: an age passes its
 * limit. Null: it is not proven now, or stays so for as long as is looked ahead.
 */
export function provenUntil(input: ProvenInput): string | null {
  if (judgeProven(input).verdict !== "holds") return null;
  const last = dayAfter(input.today, HORIZON_DAYS);
  return (
    turningDays(input).find(
      (day) => day > input.today && day <= last && judgeProven({ ...input, today: day }).verdict !== "holds",
    ) ?? null
  );
}

interface LapsesInput {
  drills: readonly DrillPart[];
  policyFor: (computer: ComputerPart) => PolicyPart;
  /** ISO day. */
  today: string;
}

/** When media stop being proven on computers; computers of a model that were tried on none of them share theirs. */
export class Lapses {
  private readonly byMedium = new Map<string, DrillPart[]>();
  private readonly known = new Map<string, string | null>();

  constructor(private readonly input: LapsesInput) {
    for (const drill of input.drills) {
      const own = this.byMedium.get(drill.medium);
      if (own) own.push(drill);
      else this.byMedium.set(drill.medium, [drill]);
    }
  }

  of(computer: ComputerPart, medium: MediumPart): string | null {
    const drills = this.byMedium.get(medium.tag) ?? [];
    const policy = this.input.policyFor(computer);
    const { make, model } = computer.facts.computer;
    const isOwn = drills.some((drill) => drill.computer === computer.tag);
    const alike = [plainName(make ?? ""), plainName(model ?? ""), computer.facts.firmware.version];
    const key = JSON.stringify([medium.tag, policy, isOwn ? computer.tag : alike]);
    const known = this.known.get(key);
    if (known !== undefined) return known;
    const day = provenUntil({ computer, medium, drills, policy, today: this.input.today });
    this.known.set(key, day);
    return day;
  }
}

/**
 * The first day on which a need of some media is not met any more, from the days on which they lapse (null: they do
 * not). Null: it stays met, or is not met now.
 */
export function lacksFrom(lapses: readonly (string | null)[], wanted: number): string | null {
  if (lapses.length < wanted || wanted === 0) return null;
  const last = [...lapses].sort((a, b) => (b ?? "9999").localeCompare(a ?? "9999"));
  return last[wanted - 1] ?? null;
}
