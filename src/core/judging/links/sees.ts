import { architectureOf, type DeviceFacts, type DiskFacts, diskSchema } from "../../computer/facts/schema";
import { type DeviceUse, deviceUse, parseModalias } from "../../computer/hardware/modalias";
import { chooseDisk, internalDisks } from "../../computer/needs/system-disk";
import { itemAt } from "../../kernel/item-at";
import type { DriverIndex, DriverSource } from "../../medium/drivers/driver-set";
import type { Attachment } from "../../medium/inspection/schema";
import { behindPassword } from "../model/changes";
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
  computer: Pick<ComputerPart, "facts" | "toldDisk">;
  release: Pick<ReleasePart, "name" | "family" | "drivers" | "arch"> | null;
  /** How the medium is attached: its own controller has to be driven too. */
  as: Attachment;
  /** The outcome needs the network: an image on a share. */
  needsNetwork: boolean;
  /** Finds a driver that can be carried along; null where the release cannot take one. */
  carried: (modalias: string) => CarriedDriver | null;
}

/**
 * The Sees link: whether what runs from the medium drives the controller of the disk that is written to or read, the one
 * that the medium itself hangs on, a keyboard, and the network where that is needed. Device identities: pci.ids, the
 * kernel's modaliases, .inf files.
 */
export function judgeSees(input: SeesInput): Ruling {
  const { release, computer } = input;
  if (!release) return unknown({ code: "release-not-recorded" });
  const { drivers, name } = release;
  if (!drivers || drivers.sources.length === 0) return unknown({ code: "release-drivers-unknown", release: name });
  const devices = computer.facts.devices;
  if (!devices) return unknown({ code: "fact-missing", fact: "devices" });
  const look = new Look(input, drivers, devices);
  const seen = all([look.storage(), look.input(), look.ownPort(), input.needsNetwork ? look.network() : null]);
  return behindPassword(seen, computer.facts.firmware);
}

/** Class codes of storage controllers: PCI Code and ID Assignment Specification, 1.2. */
const SUB_CLASS = { raid: "04", sata: "06", nvme: "08" } as const;

/**
 * Functions of a chipset that present its disks as RAID, and can be set to AHCI or plain NVMe; a card has no such setting.
 * pci.ids: 8086:2822 to 282f "[RAID mode]"; the volume management devices by their names there; AMD's by theirs.
 */
const SATA_RAID_MODE: ReadonlySet<string> = new Set(["8086:2822", "8086:2823", "8086:2826", "8086:282a", "8086:282f"]);
const CHIPSET_RAID: ReadonlySet<string> = new Set([
  ...SATA_RAID_MODE,
  ...["201d", "28c0", "467f", "4c3d", "9a0b", "a77f", "7d0b", "ad0b", "b60b", "b06f", "09ab"].map((id) => `8086:${id}`),
  ...["7905", "7916", "7917", "43bd", "b000"].map((id) => `1022:${id}`),
]);

/** A driver of a device: one that comes with the environment, or one that has to be loaded in it. */
interface Driving {
  driver: string;
  isLoose: boolean;
}

const isGood = ({ verdict }: Ruling) => verdict === "holds" || verdict === "holds-after-change";

/** A disk of which nothing is recorded. */
const ANY_DISK: DiskFacts = diskSchema.parse({ name: "", bytes: 0 });

const isLoose = ({ kind, installed }: DriverSource) => kind === "inf" && installed !== true;

class Look {
  constructor(
    private readonly asked: SeesInput,
    private readonly drivers: DriverIndex,
    private readonly devices: DeviceFacts[],
  ) {}

  private of(use: DeviceUse): DeviceFacts[] {
    return this.devices.filter((each) => useOf(each) === use);
  }

  /** What drives a device; an .inf file of another architecture does not. One that is there before one to load. */
  private drives({ modalias }: DeviceFacts, isTaken: (driver: string) => boolean = () => true): Driving | null {
    const own = this.asked.release?.arch ?? null;
    const fitting = this.drivers
      .claimants(modalias)
      .filter(({ driver, source }) => isTaken(driver) && (source.kind !== "inf" || isOfArch(source.arch, own)));
    const first = fitting.find(({ source }) => !isLoose(source)) ?? fitting[0];
    return first ? { driver: first.driver, isLoose: isLoose(first.source) } : null;
  }

  /**
   * A kernel's own list is whole, and so is an environment's own store; loose .inf files say nothing of what comes with the
   * environment itself.
   */
  private get isWhole(): boolean {
    return this.drivers.sources.some((source) => !isLoose(source));
  }

  storage(): Ruling {
    const { facts, toldDisk } = this.asked.computer;
    const choice = chooseDisk(facts, toldDisk ?? null);
    const targets = choice.state === "one" ? [choice.disk] : choice.state === "several" ? choice.disks : [];
    const told = this.of("storage");
    // Collectors call an SD host a storage controller, or what PCI calls it: a system peripheral.
    const hosts = this.devices.filter((device) => isSdHost(device) && !told.includes(device));
    const controllers = [...told, ...(targets.some(({ bus }) => bus === "mmc") ? hosts : [])];
    if (controllers.length === 0) return unknown({ code: "no-controller-known" });
    // A disk that is neither written to nor read does not break the route.
    if (targets.length === 0) return this.onAnyBus(null, controllers, hosts);
    return all(
      targets.map((disk) =>
        disk.bus === null ? this.onAnyBus(disk, controllers, hosts) : this.disk(disk, controllers),
      ),
    );
  }

  /** A disk whose bus is not recorded may be on any that is there: it is seen for certain where each of them is driven. */
  private onAnyBus(disk: DiskFacts | null, controllers: DeviceFacts[], hosts: DeviceFacts[]): Ruling {
    const ruling = disk ? this.disk(disk, controllers) : this.allOf(controllers, null);
    if (!isGood(ruling)) return ruling;
    const onBus = (bus: string) =>
      this.disk({ ...(disk ?? ANY_DISK), bus }, bus === "mmc" ? [...controllers, ...hosts] : controllers);
    const buses = [
      ...(controllers.some((each) => subClassOf(each) === SUB_CLASS.nvme || isMapping(each)) ? ["nvme"] : []),
      ...(controllers.some((each) => subClassOf(each) === SUB_CLASS.sata || isMapping(each)) ? ["sata"] : []),
      ...(hosts.length > 0 ? ["mmc"] : []),
    ];
    if (buses.every((bus) => isGood(onBus(bus)))) return ruling;
    return unknown({ code: "fact-missing", fact: disk ? "bus" : "disks" }, ...ruling.reasons);
  }

  /** The controllers that a disk can hang on by its bus: one of them must be driven, the mapping one in any case. */
  private disk(disk: DiskFacts, controllers: DeviceFacts[]): Ruling {
    const possible = controllersFor(disk, controllers);
    if (possible.length === 0 && disk.name === this.asked.computer.toldDisk) return this.ofNewDisk(disk);
    // What a SATA function maps is not seen beside it: a controller of its own that is there is not mapped.
    const hasOwn = possible.some((device) => subClassOf(device) === SUB_CLASS.nvme);
    const mapping =
      disk.bus === "nvme"
        ? possible.filter((device) => isMapping(device) && !(hasOwn && SATA_RAID_MODE.has(idOf(device))))
        : [];
    if (mapping.length > 0) return this.allOf(mapping, disk);
    const own =
      disk.bus === "nvme" && hasOwn ? possible.filter((device) => !SATA_RAID_MODE.has(idOf(device))) : possible;
    return this.allOf(own.length > 0 ? own : controllers, disk);
  }

  /** A new NVMe disk is its own controller, of the standard class; any other hangs on one that is not recorded. */
  private ofNewDisk(disk: DiskFacts): Ruling {
    if (disk.bus !== "nvme") return unknown({ code: "no-controller-known" });
    return this.allOf(
      [{ modalias: plainModalias(this.plainMode(disk)), class: "storage", name: "the new NVMe disk" }],
      disk,
    );
  }

  private allOf(controllers: DeviceFacts[], disk: DiskFacts | null): Ruling {
    const release = this.asked.release?.name ?? "";
    const name = disk?.name ?? null;
    // A SATA function in RAID mode hides NVMe disks behind registers that only its maker's driver knows.
    const isTaken = (device: DeviceFacts) => (driver: string) =>
      !(disk?.bus === "nvme" && driver === "ahci" && SATA_RAID_MODE.has(idOf(device)));
    const driven = controllers.map((device) => ({ device, by: this.drives(device, isTaken(device)) }));
    const missing = driven.flatMap(({ device, by }) => (by === null ? [device] : []));
    if (missing.length === 0) {
      const drivers = driven.map(({ device, by }) => ({ device: nameOf(device), driver: by?.driver ?? "" }));
      const seen = holds({ code: "controllers-driven", release, disk: name, drivers });
      return all([seen, ...driven.map(({ device, by }) => this.loaded(device, by))]);
    }
    if (missing.length < controllers.length)
      return unknown({ code: "controllers-driven-in-part", release, disk: name, missing: missing.map(nameOf) });
    return this.mended(itemAt(missing, 0), disk, this.isWhole ? broken : unknown);
  }

  /** A loose driver is loaded by hand before anything is seen. */
  private loaded(device: DeviceFacts, by: Driving | null): Ruling | null {
    if (!by?.isLoose) return null;
    return holdsAfter(
      { setting: "driver", from: "not loaded", to: by.driver },
      { code: "driver-to-load", driver: by.driver, device: nameOf(device) },
    );
  }

  /** A driver that can be carried along, else another mode of the controller, else as it is. */
  private mended(device: DeviceFacts, disk: DiskFacts | null, otherwise: typeof broken): Ruling {
    const release = this.asked.release?.name ?? "";
    const reason = {
      code: "controller-not-driven",
      release,
      disk: disk?.name ?? null,
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
    if (CHIPSET_RAID.has(idOf(device)) && this.drivesPlainMode(disk)) {
      const together = internalDisks(this.asked.computer.facts).filter(
        ({ bus }) => bus === "raid" || (bus !== null && bus === disk?.bus),
      );
      return holdsAfter(
        { setting: "storageMode", from: "RAID", to: this.plainMode(disk).name },
        reason,
        { code: "raid-mode-could-be-off" },
        ...(together.length > 1 ? [{ code: "raid-set-breaks" } as const] : []),
      );
    }
    return otherwise(reason);
  }

  /** Whether it drives a controller that is set to no RAID: by its class, as AHCI or NVMe. */
  private drivesPlainMode(disk: DiskFacts | null): boolean {
    return this.drivers.claimants(plainModalias(this.plainMode(disk))).length > 0;
  }

  private plainMode(disk: DiskFacts | null): { name: string; sub: string; face: string } {
    return disk?.bus === "nvme"
      ? { name: "plain NVMe", sub: SUB_CLASS.nvme, face: "02" }
      : { name: "AHCI", sub: SUB_CLASS.sata, face: "01" };
  }

  /** A keyboard, or the controller that one can be attached to. */
  input(): Ruling | null {
    // What loose files belong to brings class drivers for keyboards and USB of its own. Common practice.
    if (!this.isWhole || isPe(this.asked.release)) return null;
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
    return broken(reason);
  }

  /** The controller that the medium itself hangs on: what came up by firmware's own driver is lost with it. */
  ownPort(): Ruling | null {
    const ports = this.isWhole ? this.mediumControllers() : [];
    if (ports.length === 0 || ports.some((each) => this.drives(each) !== null)) return null;
    return broken({ code: "own-port-not-driven", device: nameOf(itemAt(ports, 0)) });
  }

  /** What the medium can hang on: a disc in a built-in drive on a disk controller, all else on USB; none where it is open. */
  private mediumControllers(): DeviceFacts[] {
    const { as, computer } = this.asked;
    const hasDrive = computer.facts.ports?.optical ?? null;
    if (as === "usb" || hasDrive === false) return this.of("usb-controller");
    const isSata = (device: DeviceFacts) => BUSES.ata?.includes(subClassOf(device) ?? "") ?? false;
    return hasDrive === null ? [] : this.devices.filter((device) => useOf(device) === "storage" && isSata(device));
  }

  network(): Ruling {
    const adapters = this.of("network");
    if (adapters.length === 0) return unknown({ code: "no-adapter-known" });
    const release = this.asked.release?.name ?? "";
    const driven = adapters.find((each) => this.drives(each) !== null);
    if (driven) {
      const by = this.drives(driven);
      const seen = holds({ code: "adapter-driven", release, device: nameOf(driven), driver: by?.driver ?? "" });
      return all([seen, this.loaded(driven, by)]);
    }
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

/** Such environments have class drivers of keyboards and USB within, whatever lists are known of them. Common practice. */
function isPe(release: SeesInput["release"]): boolean {
  return ["pe", "windows"].includes(release?.family?.toLowerCase() ?? "");
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

/** A controller that is known by its class alone. */
function plainModalias({ sub, face }: { sub: string; face: string }): string {
  return `pci:v0000FFFEd0000FFFEsv0000FFFEsd0000FFFEbc01sc${sub}i${face}`;
}

/** "8086:282a": vendor and device; empty for other buses. */
function idOf({ modalias }: DeviceFacts): string {
  const parsed = parseModalias(modalias);
  return parsed?.bus === "pci" ? `${parsed.vendor}:${parsed.device}` : "";
}

/** A function of the chipset that hides NVMe disks in itself. */
function isMapping(device: DeviceFacts): boolean {
  return subClassOf(device) === SUB_CLASS.raid && CHIPSET_RAID.has(idOf(device));
}

/** SD host controllers, on which soldered eMMC hangs: PCI class 08, sub-class 05. */
function isSdHost({ modalias }: DeviceFacts): boolean {
  const parsed = parseModalias(modalias);
  return parsed?.bus === "pci" && parsed.class === "08" && parsed.subClass === "05";
}

/** Whether loose files serve an environment; what neither tells is taken to. */
function isOfArch(source: string | null, own: string | null): boolean {
  if (source === null || own === null) return true;
  return (architectureOf(source) ?? source) === (architectureOf(own) ?? own);
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
