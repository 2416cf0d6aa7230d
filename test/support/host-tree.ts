import { mkdirSync, symlinkSync, truncateSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import type { HostTree } from "@/server/devices/block-devices";

// The tree that Linux shows under /sys, /proc and /dev (Documentation/ABI/stable/sysfs-block, proc(5)), with files in the
// place of devices, or links to real ones.

export function file(path: string, text: string): void {
  mkdirSync(dirname(path), { recursive: true });
  writeFileSync(path, text);
}

export interface Disk {
  removable?: boolean;
  bytes?: number;
  serial?: string | null;
  port?: string;
  number?: string;
  partitions?: string[];
  model?: string;
  /** A device that stands for it; a file of its own where it is left out. */
  node?: string;
}

/** A disk as the kernel shows it; with `port` below a USB device. */
export function addDisk(
  host: HostTree,
  name: string,
  {
    removable = true,
    bytes = 1 << 20,
    serial = "S1",
    port,
    number = "8:16",
    partitions = [],
    model = "Dart",
    node,
  }: Disk,
) {
  const bus = port
    ? join(host.sys, "devices", "pci0000:00", "usb2", port)
    : join(host.sys, "devices", "pci0000:00", "ata1");
  if (port) {
    file(join(bus, "idVendor"), "0951\n");
    if (serial !== null) file(join(bus, "serial"), `${serial}\n`);
  }
  const device = join(bus, "host6", "6:0:0:0");
  file(join(device, "vendor"), "Norlight\n");
  file(join(device, "model"), `${model}     \n`);
  const own = join(host.sys, "block", name);
  file(join(own, "removable"), removable ? "1\n" : "0\n");
  file(join(own, "size"), `${bytes / 512}\n`);
  file(join(own, "ro"), "0\n");
  file(join(own, "dev"), `${number}\n`);
  file(join(own, "queue", "logical_block_size"), "512\n");
  mkdirSync(join(own, "holders"), { recursive: true });
  symlinkSync(device, join(own, "device"));
  for (const [at, partition] of partitions.entries()) {
    file(join(own, partition, "dev"), `${number.split(":")[0]}:${Number(number.split(":")[1]) + at + 1}\n`);
    mkdirSync(join(own, partition, "holders"), { recursive: true });
  }
  mkdirSync(host.dev, { recursive: true });
  if (node) return symlinkSync(node, join(host.dev, name));
  file(join(host.dev, name), "");
  truncateSync(join(host.dev, name), bytes);
}
