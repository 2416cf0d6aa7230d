import { judgeProven, type ProvenInput } from "../judging/links/proven";
import { plainName } from "../judging/links/versions";
import type { ComputerPart, DrillPart, MediumPart, PolicyPart } from "../judging/model/parts";
import { dayAfter } from "../kernel/days";

/** So far ahead a lapse is looked for: two years cover every greatest age that anybody plans by. */
export const HORIZON_DAYS = 731;

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
function provenUntil(input: ProvenInput): string | null {
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

interface MediumLapses {
  drills: DrillPart[];
  /** Computers that it was tried on. */
  tried: Set<string>;
  /** By the computer's tag where it was tried there, else by what computers have in common. */
  known: Map<string | number, string | null>;
}

/** When media stop being proven on computers; computers of a model that were tried on none of them share theirs. */
export class Lapses {
  private readonly byMedium = new Map<string, MediumLapses>();
  private readonly numbers = new Map<string, number>();
  private readonly classes = new WeakMap<ComputerPart, number>();

  constructor(private readonly input: LapsesInput) {
    for (const drill of input.drills) {
      const lapses = this.mediumOf(drill.medium);
      lapses.drills.push(drill);
      lapses.tried.add(drill.computer);
    }
  }

  private mediumOf(tag: string): MediumLapses {
    const keptLapses = this.byMedium.get(tag);
    if (keptLapses) return keptLapses;
    const madeLapses: MediumLapses = { drills: [], tried: new Set(), known: new Map() };
    this.byMedium.set(tag, madeLapses);
    return madeLapses;
  }

  /** The number of those who differ in nothing that a proof depends on. */
  private classOf(computer: ComputerPart): number {
    const keptClass = this.classes.get(computer);
    if (keptClass !== undefined) return keptClass;
    const { make, model } = computer.facts.computer;
    const alike = [plainName(make ?? ""), plainName(model ?? ""), computer.facts.firmware.version];
    const key = JSON.stringify([this.input.policyFor(computer), alike]);
    const number = this.numbers.get(key) ?? this.numbers.size;
    this.numbers.set(key, number);
    this.classes.set(computer, number);
    return number;
  }

  /** The same for computers of which a medium's proof is the same. */
  alike(computer: ComputerPart, medium: string): string | number {
    return this.mediumOf(medium).tried.has(computer.tag) ? computer.tag : this.classOf(computer);
  }

  of(computer: ComputerPart, medium: MediumPart): string | null {
    const { drills, known } = this.mediumOf(medium.tag);
    const key = this.alike(computer, medium.tag);
    const before = known.get(key);
    if (before !== undefined) return before;
    const policy = this.input.policyFor(computer);
    const day = provenUntil({ computer, medium, drills, policy, today: this.input.today });
    known.set(key, day);
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
