import { LRUCache } from "lru-cache";
import { digestOf } from "../../crypto/rsa";
import type { Facts, FirmwareFacts } from "./schema";
import { startKinds } from "./start-order";

/** The facts of a computer that decide the Starts link, and nothing else. */
export type StartFacts = Pick<Facts, "firmware" | "ports">;

/** The same with everything left out that decides nothing: alike in all computers that start alike. */
export function startFactsOf({ firmware, ports }: StartFacts): StartFacts {
  const { kind, arch, legacyMode, secureBoot, fastBoot, usbStart, setupPassword, setupPasswordPlace } = firmware;
  const usb = ports?.usb ?? null;
  // Lists decide only where something asks for them; in set-up mode nothing does, though the switch may stand on.
  const isAsked = kind !== "bios" && secureBoot?.state !== "off" && secureBoot?.state !== "absent";
  const lists = isAsked && secureBoot?.state !== "setup" ? secureBoot : null;
  const bare: FirmwareFacts = {
    kind,
    arch,
    vendor: null,
    version: null,
    legacyMode,
    secureBoot: secureBoot
      ? {
          state: secureBoot.state,
          pk: null,
          kek: null,
          db: lists?.db ?? null,
          dbx: lists?.dbx ?? null,
          sbatLevel: lists?.sbatLevel ?? null,
        }
      : null,
    fastBoot,
    usbStart,
    setupPassword,
    setupPasswordPlace: setupPasswordPlace === null ? null : "kept",
    keys: null,
    startOrder: startKinds(firmware),
    entries: null,
  };
  return {
    firmware: bare,
    ports: {
      // One port is as good as four: only whether there is one decides here.
      usb: usb === null ? null : usb > 0 ? 1 : 0,
      ...{ usbC: null, optical: ports?.optical ?? null, management: null },
    },
  };
}

/** A canonical text of them, with digests in place of lists, so that computers alike in this are judged once. */
export function startProfile(facts: StartFacts): string {
  const { firmware, ports } = startFactsOf(facts);
  const { kind, arch, legacyMode, secureBoot, fastBoot, usbStart, startOrder, setupPassword } = firmware;
  const lists = secureBoot && [
    secureBoot.state,
    ...[secureBoot.db, secureBoot.dbx, secureBoot.sbatLevel].map((list) => (list === null ? null : shortened(list))),
  ];
  const password = [setupPassword, firmware.setupPasswordPlace];
  return JSON.stringify([
    ...[kind, arch, legacyMode, lists, fastBoot, usbStart, startOrder, ports?.usb, ports?.optical],
    // At the end and only where recorded, so that profiles that were kept before it was a fact stay the same.
    ...(setupPassword === null ? [] : [password]),
  ]);
}

/** The facts that Sees and Restores depend on: devices, disks and systems; where keys are kept, but not what for. */
export function chainFactsOf(facts: Facts): Facts {
  const { disks, devices, systems } = facts;
  // Where there are several, an image on one of them is not lost with another: serials tell them apart.
  const hasSeveral = (disks ?? []).filter(({ removable }) => removable !== true).length > 1;
  return {
    ...facts,
    collected: null,
    computer: { tag: null, make: null, model: null, serial: null, form: null, uuid: null, addresses: null },
    firmware: BARE_FIRMWARE,
    cpu: null,
    memoryBytes: null,
    disks:
      disks?.map(({ name, bytes, sectorBytes, bus, table, serial, removable, partitions, blank }) => ({
        name,
        bytes,
        sectorBytes,
        bus,
        table,
        model: null,
        serial: hasSeveral ? serial : null,
        removable,
        blank,
        // Sizes stay, places go: whether an image fits goes by lengths; where a partition begins moves nothing.
        partitions: partitions.map(({ number, type, bytes: size, role, filesystem, encryption, keyPlace, active }) => ({
          number,
          type,
          start: null,
          bytes: size,
          usedBytes: null,
          filesystem,
          role,
          encryption,
          keyPlace: keyPlace === null ? null : "kept",
          label: null,
          active,
        })),
      })) ?? null,
    devices: devices?.map(({ modalias, class: use }) => ({ modalias, class: use, name: null })) ?? null,
    systems,
    ports: null,
  };
}

const BARE_FIRMWARE: FirmwareFacts = {
  kind: null,
  arch: null,
  vendor: null,
  version: null,
  legacyMode: null,
  secureBoot: null,
  fastBoot: null,
  usbStart: null,
  setupPassword: null,
  setupPasswordPlace: null,
  keys: null,
  startOrder: null,
  entries: null,
};

/** A canonical text of them, so that computers alike in this are judged once. */
export function chainProfile(facts: Facts): string {
  const { disks, devices, systems } = chainFactsOf(facts);
  return JSON.stringify([disks, devices, systems]);
}

/** Fleets share their lists, of some ten kilobytes each: each is hashed once. */
const digests = new LRUCache<string, string>({ max: 2000 });

function shortened(list: string): string {
  const keptDigest = digests.get(list);
  if (keptDigest !== undefined) return keptDigest;
  const digest = digestOf("sha256", new TextEncoder().encode(list));
  digests.set(list, digest);
  return digest;
}
