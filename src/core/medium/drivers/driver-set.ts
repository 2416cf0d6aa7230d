import { z } from "zod";
import type { Claim } from "./aliases";
import { fits, normalised } from "./glob";
import { hardwareIds } from "./hardware-ids";
import type { InfArch, InfFile } from "./inf";

/** One list of drivers on a medium: a kernel's modules, what is built into it, or one .inf file. */
export const driverSourceSchema = z.object({
  kind: z.enum(["modules", "built-in", "inf"]),
  /** Where it is, in words a path: "/live/initrd.img: lib/modules/6.1.0/modules.alias". */
  path: z.string(),
  /** Release of the kernel that the list is for. */
  kernel: z.string().nullable(),
  /** Architecture of the drivers, where the list says it. */
  arch: z.string().nullable(),
  /** An .inf file in the environment's own store: it is loaded by itself, and what the store lacks is not there. */
  installed: z.boolean().optional(),
  /** Driver → what it claims. */
  drivers: z.record(z.string(), z.array(z.string())),
});
export type DriverSource = z.infer<typeof driverSourceSchema>;

/** What claims a device. */
export interface Claimant {
  driver: string;
  pattern: string;
  source: DriverSource;
}

/**
 * Claims in the order of their file, by driver. A driver's name is foreign text: the record has no prototype while it
 * is filled.
 */
export function claimsToSource(
  kind: "modules" | "built-in",
  path: string,
  kernel: string | null,
  claims: Claim[],
): DriverSource {
  const drivers: Record<string, string[]> = Object.create(null);
  for (const { pattern, driver } of claims) {
    drivers[driver] ??= [];
    drivers[driver]?.push(pattern);
  }
  return { kind, path, kernel, arch: null, drivers: { ...drivers } };
}

/** An .inf file as one source for each architecture that it serves. */
export function infToSources(path: string, inf: InfFile, installed = false): DriverSource[] {
  const name = path.slice(path.lastIndexOf("/") + 1);
  const byArch = new Map<InfArch | null, Set<string>>();
  for (const { arch, id } of inf.devices) {
    const ids = byArch.get(arch) ?? new Set();
    ids.add(id);
    byArch.set(arch, ids);
  }
  return [...byArch].map(([arch, ids]) => ({
    ...{ kind: "inf", path, kernel: null, arch, drivers: { [name]: [...ids] } },
    ...(installed ? { installed } : {}),
  }));
}

/** How many patterns all drivers claim together. */
export function entriesOf(sources: DriverSource[]): number {
  return sources.reduce(
    (sum, source) => sum + Object.values(source.drivers).reduce((own, patterns) => own + patterns.length, 0),
    0,
  );
}

/** Characters of a pattern by which it is filed: "pci:v00008086" and a little more. */
const KEY_LENGTH = 16;

interface Filed extends Claimant {
  order: number;
}

/** Finds the drivers for a device among all lists of a medium; patterns are filed by how they begin. */
export class DriverIndex {
  private readonly modules = new Map<string, Filed[]>();
  private readonly infs = new Map<string, Filed[]>();

  constructor(readonly sources: DriverSource[]) {
    let order = 0;
    for (const source of sources) {
      for (const [driver, patterns] of Object.entries(source.drivers)) {
        for (const pattern of patterns) {
          const filed = { driver, pattern, source, order: order++ };
          if (source.kind === "inf") file(this.infs, pattern, filed);
          else file(this.modules, pattern.slice(0, Math.min(literalLength(pattern), KEY_LENGTH)), filed);
        }
      }
    }
  }

  /**
   * Every driver that claims a device, in the order of the lists, as kmod resolves it: modules first, and what is
   * built in only where no module claims it; then .inf files, the most particular identifier first.
   */
  claimants(modalias: string): Claimant[] {
    const text = normalised(modalias.trim());
    const found: Filed[] = [];
    for (let length = 0; length <= Math.min(KEY_LENGTH, text.length); length++)
      for (const filed of this.modules.get(text.slice(0, length)) ?? [])
        if (fits(filed.pattern, text)) found.push(filed);
    found.sort((a, b) => a.order - b.order);
    const loadable = found.filter((each) => each.source.kind === "modules");
    const ids = hardwareIds(modalias.trim());
    const byInf = ids.flatMap((id) => this.infs.get(id) ?? []);
    return unique([...(loadable.length > 0 ? loadable : found), ...byInf]);
  }
}

function file(map: Map<string, Filed[]>, key: string, filed: Filed): void {
  const list = map.get(key);
  if (list) list.push(filed);
  else map.set(key, [filed]);
}

/** Characters before the first one that stands for others. */
function literalLength(pattern: string): number {
  const at = pattern.search(/[*?[\\]/);
  return at < 0 ? pattern.length : at;
}

function unique(claimants: Claimant[]): Claimant[] {
  const seen = new Set<string>();
  return claimants.filter(({ driver, source }) => {
    const key = `${source.kind === "inf" ? source.path : "module"}\0${driver}`;
    if (seen.has(key)) return false;
    seen.add(key);
    return true;
  });
}
