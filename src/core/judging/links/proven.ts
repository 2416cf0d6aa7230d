import { daysBetween } from "../../kernel/days";
import { compareVerdicts } from "../model/order";
import type { ComputerPart, DrillPart, MediumPart, PolicyPart } from "../model/parts";
import { all, best, broken, holds, holdsAfter, type Ruling, unknown } from "./ruling";
import { compareText, sameName } from "./versions";

export interface ProvenInput {
  computer: ComputerPart;
  medium: MediumPart;
  /** Drills of this medium, in any order. */
  drills: DrillPart[];
  policy: PolicyPart;
  /** ISO day. */
  today: string;
}

/**
 * The Proven link: the last drill of this medium on this computer, or on one of its model, since the medium was last
 * written and with this firmware; and its last verification. Common practice.
 */
export function judgeProven(input: ProvenInput): Ruling {
  return judgeProof(input).ruling;
}

/** The same, with what would prove it: of both the one that decides, a drill where both stand alike. */
export function judgeProof(input: ProvenInput): { ruling: Ruling; wants: "drill" | "verification" } {
  const { proof = "model" } = input.policy;
  if (proof === "none") return { ruling: holds({ code: "no-proof-asked" }), wants: "drill" };
  const verification = verified(input);
  if (proof === "verified") return { ruling: verification, wants: "verification" };
  const drill = drilled(input);
  const isDrill = compareVerdicts(drill.verdict, verification.verdict) >= 0;
  return { ruling: all([drill, verification]), wants: isDrill ? "drill" : "verification" };
}

function drilled({ drills, ...given }: ProvenInput): Ruling {
  const { computer, medium, policy, today } = given;
  const { make, model } = computer.facts.computer;
  const all = drills.filter((each) => each.medium === medium.tag && each.on <= today);
  const onComputer = all.filter(({ emulated }) => !emulated);
  const here = latest(onComputer.filter((each) => each.computer === computer.tag));
  const alike = latest(
    onComputer.filter(
      (each) =>
        each.computer !== computer.tag &&
        make !== null &&
        model !== null &&
        each.make !== null &&
        each.model !== null &&
        sameName(make, each.make) &&
        sameName(model, each.model),
    ),
  );
  if (!here && alike && policy.proof === "computer")
    return unknown({ code: "drill-on-model-only", on: alike.on, computer: alike.computer });
  if (!here && !alike) {
    // An emulated computer has the same firmware at best, and never the same hardware: it hints, and proves nothing.
    const hint = latest(all.filter((each) => each.emulated && each.computer === computer.tag));
    if (hint) return unknown({ code: "drill-emulated", on: hint.on, started: hint.result !== "failed" });
    return unknown({ code: "no-drill-recorded" });
  }
  const own = here && judgeDrill(here, null, given);
  const others = alike && policy.proof !== "computer" ? judgeDrill(alike, alike.computer, given) : null;
  // One that failed on this very computer is not outweighed by another computer; one that grew old is.
  if (own?.verdict === "broken") return own;
  const counting = [own, others].filter((each) => each !== null);
  return best(counting, (each) => each) ?? unknown({ code: "no-drill-recorded" });
}

/** What one drill comes to; `on`: the computer that it was held on, where that is another one. */
function judgeDrill(
  drill: DrillPart,
  on: string | null,
  { computer, medium, policy, today }: Omit<ProvenInput, "drills">,
): Ruling {
  if (drill.result === "failed") return broken({ code: "drill-failed", on: drill.on, computer: on });
  const again = { setting: "drill", from: drill.on, to: "a new one" } as const;
  if (medium.writtenOn !== null && medium.writtenOn > drill.on)
    return holdsAfter(again, { code: "drill-before-writing", on: drill.on, written: medium.writtenOn });
  const { version } = computer.facts.firmware;
  if (drill.firmwareVersion !== null && version !== null && drill.firmwareVersion !== version)
    return holdsAfter(again, { code: "drill-other-firmware", on: drill.on, was: drill.firmwareVersion, is: version });
  const age = daysBetween(drill.on, today);
  if (policy.drillDays !== null && age > policy.drillDays)
    return holdsAfter(again, { code: "drill-old", on: drill.on, days: age, most: policy.drillDays });
  return holds({ code: "drill-good", on: drill.on, computer: on, restored: drill.result === "restored" });
}

function verified({ medium, policy, today }: ProvenInput): Ruling {
  const { verified: last, writtenOn } = medium;
  if (!last) return unknown({ code: "never-verified" });
  if (!last.whole) return broken({ code: "verification-failed", on: last.on });
  const again = { setting: "verification", from: last.on, to: "a new one" } as const;
  if (writtenOn !== null && writtenOn > last.on)
    return holdsAfter(again, { code: "verified-before-writing", on: last.on, written: writtenOn });
  // A sample that was right says that what was whole is not known to have failed since.
  const sampled = last.sampledOn && last.sampledOn > last.on ? last.sampledOn : null;
  const age = daysBetween(sampled ?? last.on, today);
  if (policy.verificationDays !== null && age > policy.verificationDays)
    return holdsAfter(again, {
      code: "verification-old",
      on: sampled ?? last.on,
      days: age,
      most: policy.verificationDays,
    });
  return holds(
    sampled ? { code: "verification-sampled", on: last.on, sampled } : { code: "verification-good", on: last.on },
  );
}

const WORST_FIRST = ["failed", "started", "restored"];

/** The last one; of several on one day the worst, since somebody has to look into it. The same in any order. */
function latest(drills: DrillPart[]): DrillPart | null {
  const sorted = [...drills].sort(
    (a, b) =>
      compareText(b.on, a.on) ||
      WORST_FIRST.indexOf(a.result) - WORST_FIRST.indexOf(b.result) ||
      compareText(a.computer, b.computer) ||
      compareText(a.firmwareVersion ?? "", b.firmwareVersion ?? ""),
  );
  return sorted[0] ?? null;
}
