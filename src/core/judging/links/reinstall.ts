import { architectureOf, type SystemFacts } from "../../computer/facts/schema";
import type { ContainedSystem } from "../../medium/contents/schema";
import type { ComputerPart, ReleasePart } from "../model/parts";
import { all, best, broken, holds, type Ruling, unknown } from "./ruling";
import { compareVersions, sameName, sameRelease } from "./versions";

/**
 * A reinstall needs the same system, release, edition, architecture and language that the licence covers: what the
 * computer runs now. Common practice; each rule is one of them.
 */
interface ReinstallInput {
  system: SystemFacts;
  included: ContainedSystem;
}

type Rule = (input: ReinstallInput) => Ruling | null;

const sameFamily: Rule = ({ system, included }) => {
  if (system.family === null) return unknown({ code: "system-fact-missing", fact: "family", system: system.name });
  return sameName(system.family, included.family)
    ? null
    : broken({ code: "system-differs", fact: "family", runs: system.family, included: included.family });
};

const sameProduct: Rule = ({ system, included }) =>
  sameName(bareName(system.name), bareName(included.name))
    ? null
    : broken({ code: "system-differs", fact: "name", runs: system.name, included: included.name });

/** "Gannet Desk 11 Pro" and "Gannet Desk": numbers and editions have fields of their own. */
function bareName(name: string): string {
  return name.replace(/\s+(\d[\w.]*|\([^)]*\))(\s.*)?$/, "");
}

const sameVersion: Rule = ({ system, included }) => {
  if (system.version === null) return unknown({ code: "system-fact-missing", fact: "version", system: system.name });
  if (included.version === null)
    return unknown({ code: "included-fact-missing", fact: "version", included: included.name });
  if (!sameRelease(system.version, included.version))
    return broken({ code: "system-differs", fact: "version", runs: system.version, included: included.version });
  return olderIncluded({ system, included })
    ? holds({ code: "included-older", runs: buildText(system), included: buildText(included) })
    : null;
};

/** Of the same release, and older: by build where both are known. What is not known is not older. */
function olderIncluded({ system, included }: ReinstallInput): boolean {
  if (system.version === null || included.version === null || !sameRelease(system.version, included.version))
    return false;
  return system.build !== null && included.build !== null
    ? included.build < system.build
    : compareVersions(included.version, system.version) < 0;
}

function buildText({ version, build }: { version: string | null; build: number | null }): string {
  return build === null ? (version ?? "") : `${version ?? ""} (build ${build})`;
}

/** Editions and languages that neither side tells are no question; one that only one tells is. */
const told =
  (fact: "edition" | "language"): Rule =>
  ({ system, included }) => {
    const [runs, has] = [system[fact], included[fact]];
    if (runs === null && has === null) return null;
    // A system of the Linux family is installed in the language that is chosen then.
    if (fact === "language" && has === null && included.family === "linux") return null;
    if (runs === null) return unknown({ code: "system-fact-missing", fact, system: system.name });
    if (has === null) return unknown({ code: "included-fact-missing", fact, included: included.name });
    return sameName(runs, has) ? null : broken({ code: "system-differs", fact, runs, included: has });
  };

const sameEdition: Rule = told("edition");
const sameLanguage: Rule = told("language");

const sameArchitecture: Rule = ({ system, included }) => {
  if (system.arch === null) return unknown({ code: "system-fact-missing", fact: "arch", system: system.name });
  if (included.arch === null) return unknown({ code: "included-fact-missing", fact: "arch", included: included.name });
  const [runs, has] = [system.arch, included.arch].map((arch) => architectureOf(arch) ?? arch);
  return runs === has
    ? null
    : broken({ code: "system-differs", fact: "arch", runs: system.arch, included: included.arch });
};

const REINSTALL_RULES: Record<string, Rule> = {
  sameFamily,
  sameProduct,
  sameVersion,
  sameEdition,
  sameArchitecture,
  sameLanguage,
};

export interface ReinstallJudged {
  ruling: Ruling;
  included: ContainedSystem | null;
  /** What it includes is of the same release and an older build than what the computer runs. */
  older: { has: string; runs: string } | null;
}

const NONE_INCLUDED = { included: null, older: null };

/** Whether a release reinstalls what a computer runs: the included system that fits best decides. */
export function judgeReinstall(
  computer: Pick<ComputerPart, "facts">,
  release: Pick<ReleasePart, "name" | "systems">,
): ReinstallJudged {
  if (release.systems === null)
    return { ruling: unknown({ code: "release-systems-unknown", release: release.name }), ...NONE_INCLUDED };
  const installs = release.systems.filter((system) => system.role === "installs");
  if (installs.length === 0)
    return { ruling: broken({ code: "nothing-included", release: release.name }), ...NONE_INCLUDED };
  const { systems } = computer.facts;
  if (!systems || systems.length === 0)
    return { ruling: unknown({ code: "fact-missing", fact: "systems" }), ...NONE_INCLUDED };
  const pairs = systems.flatMap((system) => installs.map((included) => ({ system, included })));
  const judged = pairs.map((pair) => ({ ...pair, ruling: judgePair(pair) }));
  const top = best(judged, ({ ruling }) => ruling);
  if (!top) return { ruling: unknown({ code: "fact-missing", fact: "systems" }), ...NONE_INCLUDED };
  const { ruling, included, system } = top;
  return { ruling, included, older: olderIncluded(top) ? { has: buildText(included), runs: buildText(system) } : null };
}

function judgePair(pair: ReinstallInput): Ruling {
  const { included } = pair;
  const ruling = all(Object.values(REINSTALL_RULES).map((rule) => rule(pair)));
  if (ruling.verdict !== "holds") return ruling;
  const more = [included.version, included.edition].filter((part) => part && !included.name.includes(part));
  const text = [included.name, ...more].join(", ");
  return { ...ruling, reasons: [{ code: "included-fits", included: text }, ...ruling.reasons] };
}
