import type { ContainedSystem, Program } from "../contents/schema";
import type { DriverSource } from "../drivers/driver-set";
import type { Inspection } from "../inspection/schema";
import { startPathsOf } from "../inspection/start-paths";
import type { Manifest } from "../integrity/manifest";
import type { Listing } from "../volumes/listing";

/** One side of a comparison. What was not kept of it is null, and then says nothing. */
export interface ReleaseSide {
  inspection: Inspection;
  listing: Listing | null;
  drivers: DriverSource[] | null;
  manifest: Manifest | null;
}

/** What is only in the newer one, and only in the older one. */
export interface Change<T> {
  gained: T[];
  lost: T[];
}

interface ChangedProgram {
  path: string;
  change: "gained" | "lost" | "changed";
  signersBefore: string[];
  signersAfter: string[];
  /** SBAT components whose generation differs. */
  generations: { component: string; before: number | null; after: number | null }[];
}

export interface ReleaseComparison {
  bytes: { before: number; after: number };
  ways: Change<string>;
  /** Null where a listing is missing. `by`: digests say so, or sizes and times, which may miss a change. */
  files: (Change<string> & { changed: string[]; same: number; by: "digest" | "size" }) | null;
  programs: ChangedProgram[];
  signers: Change<string>;
  systems: Change<ContainedSystem>;
  kernels: Change<string>;
  /** Null where a side's drivers are not known. `claims`: patterns of drivers that both have. */
  drivers: (Change<string> & { entriesBefore: number; entriesAfter: number }) | null;
}

/** What changed from one release to the next. Pure; lists are sorted. */
export function compareReleases(before: ReleaseSide, after: ReleaseSide): ReleaseComparison {
  return {
    bytes: { before: before.inspection.file.bytes, after: after.inspection.file.bytes },
    ways: change(waysOf(before.inspection), waysOf(after.inspection)),
    files: compareFiles(before, after),
    programs: comparePrograms(before.inspection.programs, after.inspection.programs),
    signers: change(signersOf(before.inspection), signersOf(after.inspection)),
    systems: changedSystems(before.inspection.contents.systems, after.inspection.contents.systems),
    kernels: change(
      before.inspection.contents.kernels.map((each) => each.release),
      after.inspection.contents.kernels.map((each) => each.release),
    ),
    drivers: compareDrivers(before.drivers, after.drivers),
  };
}

function change(before: string[], after: string[]): Change<string> {
  // Sets: a list may name one driver or signer several times, and that is no change.
  const [old, young] = [new Set(before), new Set(after)];
  return {
    gained: [...young].filter((each) => !old.has(each)).sort(),
    lost: [...old].filter((each) => !young.has(each)).sort(),
  };
}

function waysOf(inspection: Inspection): string[] {
  return startPathsOf(inspection)
    .filter((path) => path.problem === null)
    .map((path) => `${path.firmware} ${path.arch} ${path.as}`);
}

function signersOf(inspection: Inspection): string[] {
  return inspection.programs.flatMap((program) =>
    // A signature that does not hold is nobody's.
    program.signatures.filter((each) => each.fault === null).map((each) => each.signerName),
  );
}

/** Systems are the same where all that tells them apart is; where they were read does not. */
function changedSystems(before: ContainedSystem[] | null, after: ContainedSystem[] | null): Change<ContainedSystem> {
  const byIdentity = (systems: ContainedSystem[] | null) =>
    new Map(
      (systems ?? []).map((system) => {
        const { name, version, edition, arch, language, role } = system;
        return [JSON.stringify([name, version, edition, arch, language, role ?? null]), system];
      }),
    );
  const [old, young] = [byIdentity(before), byIdentity(after)];
  const { gained, lost } = change([...old.keys()], [...young.keys()]);
  const of = (all: Map<string, ContainedSystem>, keys: string[]) => keys.flatMap((key) => all.get(key) ?? []);
  return { gained: of(young, gained), lost: of(old, lost) };
}

/** Path, with its volume's kind, → what tells its content from another. */
function fileMap(side: ReleaseSide, digests: boolean): Map<string, string> | null {
  const files = new Map<string, string>();
  if (digests) {
    for (const volume of side.manifest?.volumes ?? [])
      for (const file of volume.files) files.set(keyOf(volume.kind, file.path), `${file.bytes} ${file.sha256}`);
    return files;
  }
  if (!side.listing) return null;
  for (const volume of side.listing.volumes)
    for (const [path, bytes, folder, modified] of volume.entries)
      if (folder === 0) files.set(keyOf(volume.kind, path), `${bytes} ${modified}`);
  return files;
}

/** Two releases may number their partitions differently: the kind of file system is what files are told apart by. */
function keyOf(kind: string, path: string): string {
  return kind === "iso9660" || kind === "udf" ? path : `${kind}: ${path}`;
}

function compareFiles(before: ReleaseSide, after: ReleaseSide): ReleaseComparison["files"] {
  // Digests only where both sides have them: a digest against a size says nothing.
  const digests = before.manifest !== null && after.manifest !== null;
  const [old, young] = [fileMap(before, digests), fileMap(after, digests)];
  if (!old || !young) return null;
  const changed = [...young].filter(([path, content]) => old.has(path) && old.get(path) !== content);
  const { gained, lost } = change([...old.keys()], [...young.keys()]);
  return {
    gained,
    lost,
    changed: changed.map(([path]) => path).sort(),
    same: young.size - gained.length - changed.length,
    by: digests ? "digest" : "size",
  };
}

function comparePrograms(before: Program[], after: Program[]): ChangedProgram[] {
  // FAT knows no case, and one maker's tools write what another's read as EFI/boot.
  const byPath = (programs: Program[]) => new Map(programs.map((each) => [each.path.toUpperCase(), each]));
  const [old, young] = [byPath(before), byPath(after)];
  const result: ChangedProgram[] = [];
  for (const [key, program] of young) {
    const earlier = old.get(key);
    // The digest leaves signatures out, so that a program that was only signed again differs by its signers.
    if (earlier?.authenticode === program.authenticode && sameSigners(earlier, program)) continue;
    result.push(describe(earlier ?? null, program));
  }
  for (const [key, program] of old) if (!young.has(key)) result.push(describe(program, null));
  return result.sort((a, b) => a.path.localeCompare(b.path));
}

function namesOf(program: Program | null | undefined): string[] {
  return (program?.signatures ?? []).map((each) => each.signerName);
}

function sameSigners(a: Program | undefined, b: Program): boolean {
  return namesOf(a).join("\n") === namesOf(b).join("\n");
}

function describe(before: Program | null, after: Program | null): ChangedProgram {
  const generation = (program: Program | null, component: string) =>
    program?.sbat?.find((row) => row.component === component)?.generation ?? null;
  const components = new Set([...(before?.sbat ?? []), ...(after?.sbat ?? [])].map((row) => row.component));
  return {
    path: (after ?? before)?.path ?? "",
    change: before ? (after ? "changed" : "lost") : "gained",
    signersBefore: namesOf(before),
    signersAfter: namesOf(after),
    generations: [...components]
      .map((component) => ({
        component,
        before: generation(before, component),
        after: generation(after, component),
      }))
      .filter((each) => each.before !== each.after),
  };
}

function compareDrivers(before: DriverSource[] | null, after: DriverSource[] | null): ReleaseComparison["drivers"] {
  if (!before?.length || !after?.length) return null;
  const names = (sources: DriverSource[]) => sources.flatMap((source) => Object.keys(source.drivers));
  const patterns = (sources: DriverSource[]) =>
    new Set(sources.flatMap((source) => Object.values(source.drivers).flat())).size;
  return {
    ...change(names(before), names(after)),
    entriesBefore: patterns(before),
    entriesAfter: patterns(after),
  };
}
