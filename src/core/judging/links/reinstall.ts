import { architectureOf, type SystemFacts } from "../../computer/facts/schema";
import type { ContainedSystem } from "../../medium/contents/schema";
import type { ComputerPart, ReleasePart } from "../model/parts";
import type { Link } from "../model/schema";
import { type Mode, startMode, systemMode } from "./modes";
import { buildOf, productOf } from "./products";
import { all, best, broken, holds, type Ruling, unknown } from "./ruling";
import { targetOf, withinMbr } from "./target";
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

/** The same product by its name, and by its number where both are told: "Microsoft Windows 11 Pro" is "Windows 11". */
const sameProduct: Rule = ({ system, included }) => {
  const [runs, has] = [productOf(system), productOf(included)];
  if (!sameName(runs.name, has.name))
    return broken({ code: "system-differs", fact: "name", runs: system.name, included: included.name });
  return runs.number !== null && has.number !== null && runs.number !== has.number
    ? broken({ code: "system-differs", fact: "version", runs: shown(system), included: shown(included) })
    : null;
};

const shown = ({ name, version }: { name: string; version: string | null }): string =>
  version !== null && !name.includes(version) ? `${name} ${version}` : name;

/**
 * The same release. Of Windows another feature update of the same product is no other product: the licence covers it, and
 * updates bring it up afterwards. Of other systems a release that may say less of itself is the same.
 */
const sameVersion: Rule = ({ system, included }) => {
  if (isUpdatable({ system, included })) return ageOf({ system, included });
  if (system.version === null) return unknown({ code: "system-fact-missing", fact: "version", system: system.name });
  if (included.version === null)
    return unknown({ code: "included-fact-missing", fact: "version", included: included.name });
  if (!sameRelease(system.version, included.version))
    return broken({ code: "system-differs", fact: "version", runs: system.version, included: included.version });
  return ageOf({ system, included });
};

/** Both are Windows of one number; a long-term edition has no feature updates, each is a product of its own. */
function isUpdatable({ system, included }: ReinstallInput): boolean {
  const [runs, has] = [productOf(system), productOf(included)];
  if ([runs, has].some(({ edition }) => edition?.includes("ltsc"))) return false;
  const isWindows = [system.family, included.family].every((family) => family !== null && sameName(family, "windows"));
  return isWindows && runs.number !== null && runs.number === has.number;
}

function ageOf(input: ReinstallInput): Ruling | null {
  const order = compareAges(input);
  if (order === null || order === 0) return null;
  const told = { runs: buildText(input.system), included: buildText(input.included) };
  return holds({ code: order < 0 ? "included-older" : "included-newer", ...told });
}

/** Negative where what is included is older: by build where both are known, else by version; null: not to be told. */
function compareAges({ system, included }: ReinstallInput): number | null {
  const [runs, has] = [buildOf(system), buildOf(included)];
  if (runs !== null && has !== null) return has - runs;
  if (system.version === null || included.version === null) return null;
  // One that only says more of itself is neither older nor newer.
  if (sameRelease(system.version, included.version)) return 0;
  return isUpdatable({ system, included }) ? compareVersions(included.version, system.version) : null;
}

/** Of the same product, and older. What is not known is not older. */
function olderIncluded(input: ReinstallInput): boolean {
  return (compareAges(input) ?? 0) < 0;
}

function buildText({ version, build }: { version: string | null; build: number | null }): string {
  return build === null ? (version ?? "") : `${version ?? ""} (build ${build})`;
}

/** Editions that neither side tells are no question; one that only one tells is. */
const sameEdition: Rule = ({ system, included }) => {
  const [runs, has] = [productOf(system).edition, productOf(included).edition];
  if (runs === null && has === null) return null;
  if (runs === null) return unknown({ code: "system-fact-missing", fact: "edition", system: system.name });
  if (has === null) return unknown({ code: "included-fact-missing", fact: "edition", included: included.name });
  return sameName(runs, has)
    ? null
    : broken({
        ...{ code: "system-differs", fact: "edition" },
        ...{ runs: system.edition ?? runs, included: included.edition ?? has },
      });
};

/**
 * Another language is a caution: the licence covers it, and people may want their own. An edition of a single language is
 * licensed for that one. Common practice.
 */
const sameLanguage: Rule = ({ system, included }) => {
  if (system.language === null || included.language === null || sameName(system.language, included.language))
    return null;
  const told = { runs: system.language, included: included.language };
  return productOf(system).edition === "home single language"
    ? broken({ code: "system-differs", fact: "language", ...told })
    : holds({ code: "language-differs", ...told });
};

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

/**
 * The least disk that a Windows installs on, by its number, in bytes as sold. Microsoft, "Windows 11 specifications" and
 * "Windows minimum hardware requirements".
 */
const LEAST_DISK: Record<string, number> = {
  "11": 64e9,
  "10": 32e9,
  "2016": 32e9,
  "2019": 32e9,
  "2022": 32e9,
  "2025": 32e9,
};
/** Of what a disk is sold as, so much is there at least. Common practice. */
const SOLD_AS = 0.9;

/** The disk that it is installed on is erased: which one has to be known, with room for all that is unpacked onto it. */
function onKnownDisk(
  computer: Pick<ComputerPart, "facts" | "toldDisk">,
  included: ContainedSystem,
  mode: Mode | null,
  asksDisks: boolean,
): Ruling | null {
  const { disk, ruling } = targetOf(computer);
  if (!disk) return computer.facts.disks === null && !asksDisks ? null : ruling;
  const { number } = productOf(included);
  const told = sameName(included.family, "windows") && number !== null ? (LEAST_DISK[number] ?? 0) : 0;
  const unpacked = included.bytes ?? 0;
  const needed = Math.max(told, unpacked);
  if (disk.bytes < Math.max(told * SOLD_AS, unpacked))
    return broken({ code: "disk-too-small-to-install", disk: disk.name, bytes: disk.bytes, needed });
  return mode === "bios" ? withinMbr(disk) : null;
}

/** In the other mode than before the computer starts in that one from then on. UEFI 2.10, 3.1; common practice. */
function inItsMode(computer: Pick<ComputerPart, "facts" | "toldDisk">, mode: Mode | null): Ruling | null {
  const before = systemMode(computer.facts, computer.toldDisk ?? null);
  return mode && before && mode !== before ? holds({ code: "mode-stays", mode }) : null;
}

/**
 * Whether a release reinstalls what a computer runs: the included system that fits best decides. `asksDisks`: false where
 * only systems are compared, so that facts without any disk leave nothing open.
 */
export function judgeReinstall(
  computer: Pick<ComputerPart, "facts" | "toldDisk">,
  release: Pick<ReleasePart, "name" | "systems">,
  starts: Pick<Link, "changes"> | null = null,
  asksDisks = true,
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
  const { included, system } = top;
  const mode = starts && startMode(computer.facts, starts);
  const ruling = all([top.ruling, onKnownDisk(computer, included, mode, asksDisks), inItsMode(computer, mode)]);
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
