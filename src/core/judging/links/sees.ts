import type { DeviceFacts, DiskFacts } from "../../computer/facts/schema";
import { type DeviceUse, deviceUse, parseModalias } from "../../computer/hardware/modalias";
import { itemAt } from "../../kernel/item-at";
import type { DriverIndex } from "../../medium/drivers/driver-set";
import type { ComputerPart, ReleasePart } from "../model/parts";
import { all, broken, holds, holdsAfter, type Ruling, unknown } from "./ruling";

/** A release elsewhere in the inventory that drives what this one does not. */
export interface CarriedDriver {
  modalias: string;
  driver: string;
  /** Of the list that names it, on that release. */
  path: string;
  release: string;
  /** A medium that carries that release. */
  medium: string | null;
}

export interface SeesInput {
  computer: Pick<ComputerPart, "facts">;
  release: Pick<ReleasePart, "name" | "family" | "drivers" | "arch"> | null;
  /** The outcome needs the network: an image on a share. */
  needsNetwork: boolean;
  /** Finds a driver that can be carried along; null where the release cannot take one. */
  carried: (modalias: string) => CarriedDriver | null;
}

/**
 * The Sees link: whether what runs from the medium drives the computer's storage controllers, its keyboard, and its
 * network where that is needed. Device identities: pci.ids, the kernel's modaliases, .inf files.
 */
export function judgeSees(input: SeesInput): Ruling {
  const { release, computer } = input;
  if (!release) return unknown({ code: "release-not-recorded" });
  const { drivers, name } = release;
  if (!drivers || drivers.sources.length === 0) return unknown({ code: "release-drivers-unknown", release: name });
  const devices = computer.facts.devices;
  if (!devices) return unknown({ code: "fact-missing", fact: "devices" });
  const look = new Look(input, drivers, devices);
  return all([look.storage(), look.input(), input.needsNetwork ? look.network() : null]);
}

/** Class codes of storage controllers: PCI Code and ID Assignment Specification, 1.2. */
const SUB_CLASS = { raid: "04", sata: "06", nvme: "08" } as const;
/** Controllers that map other vendors' disks into themselves; the vendor that makes them. pci.ids. */
const MAPPING_VENDOR = "8086";

class Look {
  constructor(
    private readonly asked: SeesInput,
    private readonly drivers: DriverIndex,
    private readonly devices: DeviceFacts[],
  ) {}

  private of(use: DeviceUse): DeviceFacts[] {
    return this.devices.filter((each) => useOf(each) === use);
  }

  private drives({ modalias }: DeviceFacts): string | null {
    return this.drivers.claimants(modalias)[0]?.driver ?? null;
  }

  /** A kernel's own list is whole; loose .inf files say nothing of what comes with the environment itself. */
  private get isWhole(): boolean {
    return this.drivers.sources.some((source) => source.kind !== "inf");
  }

  storage(): Ruling {
    const controllers = this.of("storage");
    if (controllers.length === 0) return unknown({ code: "no-controller-known" });
    const disks = (this.asked.computer.facts.disks ?? []).filter((disk) => disk.removable !== true);
    if (disks.length === 0) return this.allOf(controllers, null);
    return all(disks.map((disk) => this.disk(disk, controllers)));
  }

  /** The controllers that a disk can hang on by its bus: one of them must be driven, the mapping one in any case. */
  private disk(disk: DiskFacts, controllers: DeviceFacts[]): Ruling {
    const possible = controllersFor(disk, controllers);
    const mapping = disk.bus === "nvme" ? possible.filter(isMapping) : [];
    if (mapping.length > 0) return this.allOf(mapping, disk.name);
    return this.allOf(possible.length > 0 ? possible : controllers, disk.name);
  }

  private allOf(controllers: DeviceFacts[], disk: string | null): Ruling {
    const release = this.asked.release?.name ?? "";
    const missing = controllers.filter((each) => this.drives(each) === null);
    if (missing.length === 0) {
      const drivers = controllers.map((each) => ({ device: nameOf(each), driver: this.drives(each) as string }));
      return holds({ code: "controllers-driven", release, disk, drivers });
    }
    if (missing.length < controllers.length)
      return unknown({ code: "controllers-driven-in-part", release, disk, missing: missing.map(nameOf) });
    if (!this.isWhole) return this.mended(itemAt(missing, 0), disk, unknown);
    return this.mended(itemAt(missing, 0), disk, broken);
  }

  /** A driver that can be carried along, else another mode of the controller, else as it is. */
  private mended(device: DeviceFacts, disk: string | null, otherwise: typeof broken): Ruling {
    const release = this.asked.release?.name ?? "";
    const reason = {
      code: "controller-not-driven",
      release,
      disk,
      device: nameOf(device),
      whole: this.isWhole,
    } as const;
    const carried = this.asked.carried(device.modalias);
    if (carried)
      return holdsAfter(
        { setting: "driver", from: "not on it", to: `${carried.driver} from ${carried.release}` },
        reason,
        { code: "driver-elsewhere", ...carried },
      );
    const pci = parseModalias(device.modalias);
    if (pci?.bus === "pci" && pci.subClass === SUB_CLASS.raid && this.drivesPlainMode(disk))
      return holdsAfter({ setting: "storageMode", from: "RAID", to: this.plainMode(disk).name }, reason, {
        code: "raid-mode-could-be-off",
      });
    return otherwise(reason);
  }

  /** Whether it drives a controller that is set to no RAID: by its class, as AHCI or NVMe. */
  private drivesPlainMode(disk: string | null): boolean {
    const { sub, face } = this.plainMode(disk);
    const plain = `pci:v0000FFFEd0000FFFEsv0000FFFEsd0000FFFEbc01sc${sub}i${face}`;
    return this.drivers.claimants(plain).length > 0;
  }

  private plainMode(disk: string | null): { name: string; sub: string; face: string } {
    const bus = this.asked.computer.facts.disks?.find((each) => each.name === disk)?.bus;
    return bus === "nvme"
      ? { name: "plain NVMe", sub: SUB_CLASS.nvme, face: "02" }
      : { name: "AHCI", sub: SUB_CLASS.sata, face: "01" };
  }

  /** A keyboard, or the controller that one can be attached to. */
  input(): Ruling | null {
    const inputs = this.of("input");
    const controllers = this.of("usb-controller");
    if (inputs.length + controllers.length === 0) return null;
    const isDriven = (each: DeviceFacts) => this.drives(each) !== null;
    if (inputs.some(isDriven)) return null;
    if (controllers.some(isDriven)) {
      if (inputs.length === 0) return null;
      return holdsAfter(
        { setting: "keyboard", from: "built in", to: "USB" },
        { code: "input-not-driven", device: nameOf(itemAt(inputs, 0)) },
      );
    }
    const first = itemAt([...controllers, ...inputs], 0);
    const reason = { code: "no-input-driven", device: nameOf(first) } as const;
    return this.isWhole ? broken(reason) : unknown(reason);
  }

  network(): Ruling {
    const adapters = this.of("network");
    if (adapters.length === 0) return unknown({ code: "no-adapter-known" });
    const release = this.asked.release?.name ?? "";
    const driven = adapters.find((each) => this.drives(each) !== null);
    if (driven)
      return holds({ code: "adapter-driven", release, device: nameOf(driven), driver: this.drives(driven) as string });
    for (const adapter of adapters) {
      const carried = this.asked.carried(adapter.modalias);
      if (carried)
        return holdsAfter(
          { setting: "driver", from: "not on it", to: `${carried.driver} from ${carried.release}` },
          { code: "adapter-not-driven", release, device: nameOf(adapter) },
          { code: "driver-elsewhere", ...carried },
        );
    }
    const reason = { code: "adapter-not-driven", release, device: nameOf(itemAt(adapters, 0)) } as const;
    return this.isWhole ? broken(reason) : unknown(reason);
  }
}

/** What a device is for: what its class was recorded as, else what its identity says. */
function useOf(device: DeviceFacts): DeviceUse {
  const told = deviceUse(device.modalias);
  if (told !== "other") return told;
  return device.class === "storage" || device.class === "network" || device.class === "input" ? device.class : "other";
}

function nameOf({ name, modalias }: DeviceFacts): string {
  if (name) return name;
  const parsed = parseModalias(modalias);
  if (parsed?.bus === "pci") return `${parsed.vendor}:${parsed.device}`;
  return parsed ? `${parsed.vendor}:${parsed.product}` : modalias;
}

function subClassOf({ modalias }: DeviceFacts): string | null {
  const parsed = parseModalias(modalias);
  return parsed?.bus === "pci" ? parsed.subClass : null;
}

function isMapping(device: DeviceFacts): boolean {
  const parsed = parseModalias(device.modalias);
  return parsed?.bus === "pci" && parsed.vendor === MAPPING_VENDOR && parsed.subClass === SUB_CLASS.raid;
}

/** PCI sub-classes that disks of a bus hang on; other buses are told by their names. */
const BUSES: Record<string, string[]> = {
  nvme: [SUB_CLASS.nvme, SUB_CLASS.raid],
  sata: [SUB_CLASS.sata, SUB_CLASS.raid, "01", "05"],
  ide: ["01", SUB_CLASS.sata, SUB_CLASS.raid],
  ata: [SUB_CLASS.sata, SUB_CLASS.raid, "01", "05"],
  raid: [SUB_CLASS.raid],
  sas: ["00", "07", SUB_CLASS.raid],
  scsi: ["00", "07", SUB_CLASS.raid],
};

function controllersFor({ bus }: DiskFacts, controllers: DeviceFacts[]): DeviceFacts[] {
  const wanted = BUSES[bus?.toLowerCase() ?? ""];
  if (wanted)
    return controllers.filter((each) => {
      const sub = subClassOf(each);
      return sub !== null && wanted.includes(sub);
    });
  if (bus === "mmc") return controllers.filter(({ modalias }) => /^mmc:|bc08sc05/i.test(modalias));
  if (bus === "virtio") return controllers.filter(({ modalias }) => modalias.startsWith("virtio:"));
  return [];
}
