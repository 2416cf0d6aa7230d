import { judgeProven } from "../judging/links/proven";
import type { ComputerPart, MediumPart } from "../judging/model/parts";
import { itemAt } from "../kernel/item-at";
import type { ProofInput } from "./proof-due";

/** What a log tells of days gone by. Days are ISO days. */
export interface Past {
  computerSince: (row: number) => string;
  mediumSince: (at: number) => string;
  /** A medium's verification as it was known on a day. */
  verifiedOn: (at: number, day: string) => MediumPart["verified"];
}

/**
 * Computers that had what is asked on days gone by, as far as drills, verifications and the log tell: what fits, and
 * what is asked, is as it is known today.
 */
export function metThen(
  input: ProofInput,
  past: Past,
  days: readonly string[],
): { on: string; met: number; total: number }[] {
  const { computers, media, standings, lapses, drillsOf, policyFor } = input;
  return days.map((on) => {
    const byKey = new Map<string, boolean>();
    const wasProven = (computer: ComputerPart, at: number): boolean => {
      const { part } = itemAt(media, at);
      const key = `${at} ${lapses.alike(computer, part.tag)}`;
      const before = byKey.get(key);
      if (before !== undefined) return before;
      const writtenOn = part.writtenOn !== null && part.writtenOn <= on ? part.writtenOn : null;
      const medium = { ...part, writtenOn, verified: past.verifiedOn(at, on) };
      const policy = policyFor(computer);
      const ruling = judgeProven({ computer, medium, drills: drillsOf(part.tag), policy, today: on });
      const isProven = past.mediumSince(at) <= on && ruling.verdict === "holds";
      byKey.set(key, isProven);
      return isProven;
    };
    const there = standings.filter(({ row }) => past.computerSince(row) <= on);
    const met = there.filter(({ row, needs }) => {
      const computer = itemAt(computers, row);
      return needs.every(
        ({ have, unproven, wanted }) => [...have, ...unproven].filter((at) => wasProven(computer, at)).length >= wanted,
      );
    });
    return { on, met: met.length, total: there.length };
  });
}
