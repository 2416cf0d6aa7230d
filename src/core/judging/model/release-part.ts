import type { Architecture } from "../../kernel/architecture";
import type { ContainedSystem } from "../../medium/contents/schema";
import { isSystemFile } from "../../medium/contents/systems";
import { DriverIndex, type DriverSource } from "../../medium/drivers/driver-set";
import { chooseLoader } from "../../medium/firmware/uefi/choose";
import type { Inspection } from "../../medium/inspection/schema";
import { NO_RELEASE_FACTS, type ReleaseFacts } from "../../medium/releases/facts";
import type { ReleasePart } from "./parts";

/** What is recorded of a release beside what was read from its file. */
export interface ReleaseRecord {
  name: string;
  kit: string;
  version: string;
  family: string | null;
  madeOn: string | null;
  facts: ReleaseFacts;
}

/** A release as the links need it: what is recorded, and what was read; `null` where nothing was read. */
export function releasePart(
  record: ReleaseRecord,
  read: { inspection: Pick<Inspection, "contents" | "views">; drivers: DriverIndex | null } | null,
): ReleasePart {
  if (!read) return { ...record, arch: null, drivers: null, systems: null };
  const { inspection, drivers } = read;
  const systems = systemsOf(inspection);
  return {
    ...record,
    family: record.family ?? familyOf(inspection),
    arch: systems?.find((each) => each.role === "runs")?.arch ?? archOf(inspection),
    drivers,
    systems,
  };
}

/**
 * A release on a medium that was made without its system files: under a name of its own, since it recovers less. One that
 * has none is what it was.
 */
export function withoutSystemFilesPart(part: ReleasePart): ReleasePart {
  const kept = part.systems?.filter(
    ({ role, from }) => role !== "installs" || from === undefined || !isSystemFile(from),
  );
  if (!kept || kept.length === part.systems?.length) return part;
  const isInstalling = kept.some(({ role }) => role === "installs");
  const purposes = part.facts.purposes.filter((each) => each !== "reinstall" || isInstalling);
  const named = { name: `${part.name} without system files`, version: `${part.version} without system files` };
  return { ...part, ...named, systems: kept, facts: { ...part.facts, purposes } };
}

/** A medium's own contents as a release, where no inventory says what it carries. */
export function releaseOfFile(inspection: Inspection, drivers: DriverSource[]): ReleasePart {
  const name = inspection.contents.label ?? inspection.file.name;
  const made = inspection.contents.made?.slice(0, 10) ?? null;
  const record = { name, kit: name, version: "", family: null, madeOn: made, facts: NO_RELEASE_FACTS };
  return releasePart(record, { inspection, drivers: drivers.length > 0 ? new DriverIndex(drivers) : null });
}

/** What it installs and runs, its repair environments among them. */
function systemsOf({ contents }: Pick<Inspection, "contents">): ContainedSystem[] | null {
  if (contents.systems === null) return null;
  const environments = (contents.wims ?? []).flatMap(({ images, path }) =>
    images
      .filter((image) => image.installationType === "WindowsPE" || image.edition === "WindowsPE")
      .map(
        (image): ContainedSystem => ({
          family: "windows",
          name: image.name,
          version: image.version,
          build: image.build,
          edition: null,
          arch: image.arch,
          language: image.defaultLanguage,
          role: "runs",
          from: path,
        }),
      ),
  );
  return [...contents.systems, ...environments];
}

function familyOf({ contents }: Pick<Inspection, "contents">): string | null {
  if (contents.kernels.length > 0 || contents.live.length > 0 || (contents.drivers?.modules ?? 0) > 0) return "Linux";
  return (contents.wims ?? []).length > 0 ? "PE" : null;
}

/** The architecture of its loaders, the widest first: an environment with loaders for both runs as the wider one. */
function archOf({ views }: Pick<Inspection, "views">): string | null {
  const { usb, optical } = views.uefi;
  const isThere = (arch: Architecture) => [usb, optical].some((view) => chooseLoader(view, arch).chosen !== null);
  return (["x64", "aa64", "riscv64", "ia32", "arm"] as const).find(isThere) ?? null;
}
