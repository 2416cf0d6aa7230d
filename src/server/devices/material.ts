import type { ByteSource } from "@/core/kernel/source";
import type { BiosStart } from "@/core/making/layout/bios-start";
import { type PackFile, packToWrite } from "@/core/making/pack/pack";
import {
  type Carried,
  type MediumPlan,
  type PlanRequest,
  planMedium,
  planPlainStore,
} from "@/core/making/planning/plan";
import { type DeviceShape, identityOfRow } from "./device";

/** All that a medium is made from, open for as long as its plan is used. */
export interface Material {
  /** In words, by file name, and open; the first is the medium's own. */
  releases: readonly { title: string; name: string; source: ByteSource }[];
  pack: readonly PackFile[];
  bios: BiosStart | null;
  carried?: Carried;
}

/** The plan for a device. Here and on a bench host the same gives the same bytes. */
export async function planFromMaterial(
  { releases, pack, bios, carried }: Material,
  device: DeviceShape,
  { way, table, store, tag, systemFiles }: PlanRequest,
  madeAt: string,
): Promise<MediumPlan> {
  const { kind, bytes, sectorBytes } = identityOfRow(device);
  const [own, ...others] = releases;
  if (!own) throw new Error("a medium without a release is not planned");
  return planMedium({
    request: { way, table, store, tag, systemFiles },
    image: own.source,
    name: own.name,
    title: own.title,
    beside: others.map(({ title, source }) => ({ title, image: source })),
    device: { kind, bytes, sectorBytes },
    bios,
    pack: packToWrite(pack, madeAt),
    ...(carried ? { carried } : {}),
    madeAt,
  });
}

/** How exFAT names a volume: at most 11 letters, digits and spaces of the store's name. Microsoft, "exFAT specification", 7.3. */
function storeLabel(name: string): string {
  const plain = name
    .toUpperCase()
    .replace(/[^A-Z0-9 -]/g, "")
    .trim()
    .slice(0, 11)
    .trim();
  return plain || "STORE";
}

/** Plans a device as nothing but a store, called `name`. */
export function planStoreOn(device: DeviceShape, name: string, madeAt: string): Promise<MediumPlan> {
  const { kind, bytes, sectorBytes } = identityOfRow(device);
  return planPlainStore({ label: storeLabel(name), device: { kind, bytes, sectorBytes }, madeAt });
}
