import { architectureOf, type SystemFacts } from "../../computer/facts/schema";
import type { ContainedSystem } from "../../medium/contents/schema";
import type { ComputerPart, ReleasePart } from "../model/parts";
import { all, broken, holds, holdsAfter, type Ruling, unknown } from "./ruling";
import { compareVersions, sameName } from "./versions";

/** What repairing a start-up, or rescuing files, is judged from. */
export interface RepairInput {
  computer: Pick<ComputerPart, "facts">;
  release: Pick<ReleasePart, "name" | "family" | "arch" | "madeOn" | "systems">;
  /** The day on which the computer's system came out, ISO; null where no calendar tells it. */
  systemReleasedOn: string | null;
}

type Rule = (input: RepairInput) => Ruling | null;

const systemOf = ({ facts }: RepairInput["computer"]): SystemFacts | null => facts.systems?.[0] ?? null;

/** The families of systems that an environment repairs the start-up of. Common practice. */
const REPAIRS: Record<string, string> = { pe: "windows", windows: "windows", linux: "linux" };

/** An environment repairs systems of its own family: a PE environment Windows, a Linux one Linux. Common practice. */
const ownFamily: Rule = ({ computer, release }) => {
  const system = systemOf(computer);
  if (!system) return unknown({ code: "fact-missing", fact: "systems" });
  if (system.family === null) return unknown({ code: "system-fact-missing", fact: "family", system: system.name });
  if (release.family === null) return unknown({ code: "release-fact-missing", fact: "family", release: release.name });
  const repairs = REPAIRS[release.family.toLowerCase()] ?? release.family;
  return sameName(repairs, system.family)
    ? null
    : broken({ code: "environment-other-family", release: release.name, family: release.family, system: system.name });
};

/** A repair environment older than the system may not know what it repairs. Common practice. */
const notOlder: Rule = ({ computer, release, systemReleasedOn }) => {
  const system = systemOf(computer);
  if (!system) return null;
  const environment = environmentOf(release, system);
  const older = (): Ruling =>
    holdsAfter(
      { setting: "release", from: release.name, to: `one not older than ${systemText(system)}` },
      { code: "environment-older", release: release.name, system: systemText(system) },
    );
  const order = environment && compareSystems(environment, system);
  if (order !== null) return order < 0 ? older() : holds({ code: "environment-not-older", release: release.name });
  if (release.madeOn && systemReleasedOn)
    return release.madeOn < systemReleasedOn
      ? older()
      : holds({ code: "environment-not-older", release: release.name });
  return release.madeOn === null
    ? unknown({ code: "release-fact-missing", fact: "madeOn", release: release.name })
    : unknown({ code: "system-age-unknown", system: systemText(system) });
};

/** The environment that runs from it: of the same name where there is one, else of the same family. */
function environmentOf({ systems }: RepairInput["release"], system: SystemFacts): ContainedSystem | null {
  const sameFamily = (systems ?? []).filter(
    (each) => each.role === "runs" && system.family !== null && sameName(each.family, system.family),
  );
  return sameFamily.find((each) => sameName(each.name, system.name)) ?? sameFamily[0] ?? null;
}

/** Negative where the environment is the older; null where they cannot be compared. */
function compareSystems(own: ContainedSystem, system: SystemFacts): number | null {
  if (own.build !== null && system.build !== null) return own.build - system.build;
  if (!own.version || !system.version || !sameName(own.name, system.name)) return null;
  return compareVersions(own.version, system.version);
}

function systemText({ name, version }: SystemFacts): string {
  return [name, version].filter(Boolean).join(" ");
}

const WIDE = new Set(["x64", "aa64", "riscv64"]);

/** A 32-bit environment cannot service a 64-bit system, nor one of another make of processor. Common practice. */
const services: Rule = ({ computer, release }) => {
  const system = systemOf(computer);
  if (!system) return null;
  if (release.arch === null) return unknown({ code: "release-fact-missing", fact: "arch", release: release.name });
  if (system.arch === null) return unknown({ code: "system-fact-missing", fact: "arch", system: system.name });
  const [own, other] = [release.arch, system.arch].map((arch) => architectureOf(arch) ?? arch) as [string, string];
  const isSame = own === other || (own === "x64" && other === "ia32");
  if (isSame) return null;
  return broken({
    code: "environment-cannot-service",
    release: release.name,
    arch: own,
    system: other,
    wide: WIDE.has(other),
  });
};

/** What is encrypted is opened first: somebody must have written down where its key is. */
const unlocked: Rule = ({ computer }) => {
  const { disks } = computer.facts;
  if (!disks) return unknown({ code: "fact-missing", fact: "disks" });
  const locked = disks
    .filter((disk) => disk.removable !== true)
    .flatMap((disk) => disk.partitions.map((partition) => ({ disk, partition })))
    .filter(({ partition }) => partition.encryption !== null);
  const open = locked.find(({ partition }) => partition.keyPlace === null);
  if (open) return unknown({ code: "key-place-unknown", partition: `${open.disk.name} ${open.partition.number}` });
  const kept = locked[0]?.partition.keyPlace;
  return kept ? holds({ code: "key-kept", place: kept }) : null;
};

const REPAIR_RULES: Record<string, Rule> = { ownFamily, notOlder, services, unlocked };

/** Whether a release mends the system that is on the disk without reinstalling it. All rules have to be met. */
export function judgeRepair(input: RepairInput): Ruling {
  const ruling = all(Object.values(REPAIR_RULES).map((rule) => rule(input)));
  return ruling.reasons.length > 0 ? ruling : holds({ code: "repairs", release: input.release.name });
}

/** Files are rescued by any environment that sees the disk and opens what is encrypted. */
export function judgeRescue(input: RepairInput): Ruling {
  const ruling = all([unlocked(input)]);
  return ruling.reasons.length > 0 ? ruling : holds({ code: "rescues", release: input.release.name });
}
