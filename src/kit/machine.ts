import { mkdir, readdir, readFile, realpath } from "node:fs/promises";
import { statedText } from "@/core/kernel/stated-values";
import type { KitComputer, KitDisk } from "@/core/words/kit";
import { FileSource } from "@/server/host/file-source";
import { textOf } from "./shell";

const DMI = "/sys/class/dmi/id";
/** UEFI 2.10, 3.3: the variable SecureBoot of the global variables; four bytes of attributes stand before its value. */
const SECURE_BOOT = "/sys/firmware/efi/efivars/SecureBoot-8be4df61-93ca-11d2-aa0d-00e098032b8c";
/** What is no disk: memory, loops, pieces of other devices. */
const NOT_DISKS = /^(loop|ram|zram|dm-|md|sr|fd|nbd)/;

export interface Machine extends KitComputer {
  uuid: string | null;
}

/** What this computer says of itself. */
export async function readMachine(): Promise<Machine> {
  const [make, model, serial, uuid] = await Promise.all(
    ["sys_vendor", "product_name", "product_serial", "product_uuid"].map((name) => textOf(`${DMI}/${name}`)),
  );
  const memory = /^MemTotal:\s+(\d+) kB/m.exec((await textOf("/proc/meminfo")) ?? "")?.[1];
  const isUefi = (await textOf("/sys/firmware/efi/fw_platform_size")) !== null;
  return {
    make: statedText(make ?? null),
    model: statedText(model ?? null),
    serial: statedText(serial ?? null),
    uuid: statedText(uuid ?? null)?.toLowerCase() ?? null,
    memoryBytes: memory ? Number(memory) * 1024 : null,
    firmware: isUefi ? "uefi" : "bios",
    secureBoot: isUefi ? await secureBootState() : null,
  };
}

async function secureBootState(): Promise<KitComputer["secureBoot"]> {
  const bytes = await readFile(SECURE_BOOT).catch(() => null);
  if (!bytes) return "absent";
  return bytes[4] === 1 ? "on" : "off";
}

export interface Disk extends KitDisk {
  /** Its device, such as /dev/sda. */
  path: string;
  sectorBytes: 512 | 4096;
}

/** The disks that this computer has now, also the medium itself. */
export async function readDisks(): Promise<Disk[]> {
  const names = (await readdir("/sys/block").catch(() => [])).filter((name) => !NOT_DISKS.test(name)).sort();
  const disks: Disk[] = [];
  for (const name of names) {
    const at = `/sys/block/${name}`;
    const bytes = Number((await textOf(`${at}/size`)) ?? 0) * 512;
    if (bytes === 0) continue;
    const path = `/dev/${name}`;
    disks.push({
      name,
      path,
      bytes,
      model: (await textOf(`${at}/device/model`)) ?? (await textOf(`${at}/device/name`)),
      serial: (await textOf(`${at}/device/serial`)) ?? (await textOf(`${at}/serial`)) ?? (await serialOfPage(at)),
      removable: (await textOf(`${at}/removable`)) === "1" || (await isPortable(name)),
      sectorBytes: (await textOf(`${at}/queue/logical_block_size`)) === "4096" ? 4096 : 512,
      isFailing: !(await reads(path)),
    });
  }
  return disks;
}

/** Sticks and cards often do not say that they can be taken out. */
async function isPortable(name: string): Promise<boolean> {
  return name.startsWith("mmc") || (await realpath(`/sys/block/${name}`)).includes("/usb");
}

/** The unit serial number page of a SCSI device (SPC-4, 7.8.15): four bytes of header, then letters. */
async function serialOfPage(at: string): Promise<string | null> {
  const page = await readFile(`${at}/device/vpd_pg80`).catch(() => null);
  return page ? statedText(page.subarray(4).toString("latin1").replaceAll("\0", "").trim()) : null;
}

async function reads(path: string): Promise<boolean> {
  try {
    const source = await FileSource.open(path);
    try {
      return (await source.read(0, 4096)).length > 0;
    } finally {
      await source.close();
    }
  } catch {
    return false;
  }
}

/** A folder to mount something at. */
export async function mountPoint(name: string): Promise<string> {
  const path = `/run/creel/${name}`;
  await mkdir(path, { recursive: true });
  return path;
}
