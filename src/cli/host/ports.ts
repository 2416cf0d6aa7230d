import { readdir } from "node:fs/promises";
import { join } from "node:path";
import { type Device, DeviceFault, type DeviceIdentity, sameDevice } from "@/core/making/writing/device";
import { findBlockDevices, type HostTree, openBlockDevice } from "@/server/devices/block-devices";
import { openSimulated, readSimulated } from "@/server/devices/simulated";

export interface InPort {
  port: string;
  identity: DeviceIdentity;
}

/** The ports of a computer. */
export interface Ports {
  /** What may be used, and nothing else. */
  list(): Promise<InPort[]>;
  /** Opens what is in a port, as long as it is the one that is meant. Throws `DeviceFault`. */
  open(port: string, identity: DeviceIdentity, access: { write: boolean }): Promise<Device>;
}

/** The USB ports and card slots of this computer: what can be taken out, is not mounted, and is part of nothing. */
export function ownPorts(host?: HostTree): Ports {
  return {
    list: async () => (await findBlockDevices(host)).map(({ port, identity }) => ({ port, identity })),
    open: (port, identity, access) => openBlockDevice(port, identity, { ...access, ...(host ? { host } : {}) }),
  };
}

/** Simulated devices, a folder each: put in by moving it there, pulled by moving it away. */
export function simulatedPorts(folder: string): Ports {
  const at = async (name: string) => {
    const simulated = await readSimulated(join(folder, name));
    if (!simulated) return null;
    const { kind, model, serial, bytes, sectorBytes } = simulated;
    return { kind, model, serial, bytes, sectorBytes };
  };
  return {
    list: async () => {
      const names = (await readdir(folder).catch(() => [] as string[])).sort();
      const found = await Promise.all(names.map(async (port) => ({ port, identity: await at(port) })));
      return found.flatMap(({ port, identity }) => (identity ? [{ port, identity }] : []));
    },
    open: async (port, identity, access) => {
      const there = await at(port);
      if (!there || !sameDevice(there, identity)) throw new DeviceFault("gone");
      return openSimulated(join(folder, port), access);
    },
  };
}
