import { randomBytes } from "node:crypto";
import { existsSync } from "node:fs";
import { mkdir, readdir, writeFile } from "node:fs/promises";
import { basename, join } from "node:path";
import { type Facts, readFacts } from "@/core/computer/facts/schema";
import type { ImageManifest } from "@/core/imaging/form";
import { type ImageReader, imageManifestOf } from "@/core/imaging/reading";
import { planRestore, type RestorePlanResult, type RestoreResult, restoreDisk } from "@/core/imaging/restoring";
import { saveDisk } from "@/core/imaging/saving";
import { planSaving, type SavingPlan } from "@/core/imaging/saving-plan";
import { isZero } from "@/core/kernel/fields";
import { BlockPacker } from "@/server/host/block-packer";
import { IMAGE_ENDING, imageNamesIn, NewFile, withDiskImage } from "@/server/host/disk-images";
import { FileSource } from "@/server/host/file-source";
import { openDisk } from "@/server/host/handle-device";
import type { Disk, Machine } from "./machine";
import type { Store } from "./medium";
import { tool } from "./shell";

/** An image in a store, with its manifest. */
export interface StoredImage {
  path: string;
  manifest: ImageManifest;
}

/** The images in a store, the latest first; what is none, or is not whole, is left out. */
export async function imagesIn(store: Store): Promise<StoredImage[]> {
  const images: StoredImage[] = [];
  for (const name of await imageNamesIn(store.folder)) {
    const path = join(store.folder, name);
    const source = await FileSource.open(path).catch(() => null);
    const read = source && (await imageManifestOf(source).catch(() => null));
    await source?.close();
    if (read?.ok) images.push({ path, manifest: read.manifest });
  }
  return images.sort((a, b) => (a.manifest.made < b.manifest.made ? 1 : -1));
}

export interface Saving {
  disk: Disk;
  store: Store;
  machine: Machine;
  tag: string | null;
  /** The image that only the changes since are saved of. */
  before: StoredImage | null;
  onSaved: (part: number) => void;
  onVerified: (part: number) => void;
}

export type SavingEnd =
  | { state: "saved"; file: string; bytes: number; unreadBytes: number }
  | { state: "differs" }
  | { state: "full" }
  | { state: "file-too-large" }
  | { state: "failed" };

const planFor = (source: FileSource, { sectorBytes }: Disk) => planSaving(source, { sectorBytes, partitions: null });

/** What of a disk would be saved. */
export async function planOf(disk: Disk): Promise<SavingPlan> {
  const source = await FileSource.open(disk.path);
  try {
    return await planFor(source, disk);
  } finally {
    await source.close();
  }
}

/** Whether a disk holds nothing where tables, file systems and encryption begin and end. */
export async function isBlank(disk: Disk): Promise<boolean> {
  const source = await FileSource.open(disk.path).catch(() => null);
  if (!source) return false;
  try {
    const ends = [await source.read(0, 1 << 20), await source.read(Math.max(0, disk.bytes - (1 << 20)), 1 << 20)];
    return ends.every(isZero);
  } catch {
    return false;
  } finally {
    await source.close();
  }
}

/** Saves a disk into the store and verifies the image. What is not whole has no name of an image, and is taken away. */
export async function save(saving: Saving): Promise<SavingEnd> {
  const { disk, store, tag, machine } = saving;
  const made = new Date().toISOString();
  const name = await freeName(store, `${tag ?? machine.serial ?? "computer"}-${disk.name}-${made.slice(0, 10)}`);
  const source = await FileSource.open(disk.path);
  const packer = new BlockPacker();
  const file = await NewFile.create(join(store.folder, name));
  try {
    const plan = await planFor(source, disk);
    const run = (before: ImageReader | null) =>
      saveDisk({
        disk: source,
        plan,
        packer,
        sink: file,
        before,
        about: {
          ...{ id: randomBytes(16).toString("hex"), made, by: "Creel" },
          computer: { tag, serial: machine.serial, uuid: machine.uuid },
          disk: { name: disk.name, model: disk.model, serial: disk.serial },
        },
        onProgress: ({ doneBytes, totalBytes }) => saving.onSaved(doneBytes / Math.max(1, totalBytes)),
      });
    const result = saving.before ? await withDiskImage(saving.before.path, run) : await run(null);
    if (result.state !== "saved") return { state: "failed" };
    await file.sync();
    await forgetRead();
    const faults = await withDiskImage(file.part, (image) =>
      image.verify((done, of) => saving.onVerified(done / Math.max(1, of)), 1),
    );
    if (faults.length > 0) return { state: "differs" };
    await file.finish();
    const unreadBytes = result.manifest.unread.reduce((sum, each) => sum + each.bytes, 0);
    return { state: "saved", file: name, bytes: result.fileBytes, unreadBytes };
  } catch (error) {
    return { state: STORE_FAULTS[(error as NodeJS.ErrnoException).code ?? ""] ?? "failed" };
  } finally {
    await packer.close();
    await file.close();
    await source.close();
    await tool("sync", []);
  }
}

const STORE_FAULTS: Record<string, "full" | "file-too-large"> = { ENOSPC: "full", EFBIG: "file-too-large" };

/** What is read from now on comes from the device, not from memory (proc(5), drop_caches). */
async function forgetRead(): Promise<void> {
  await tool("sync", []);
  await writeFile("/proc/sys/vm/drop_caches", "3");
}

async function freeName(store: Store, wanted: string): Promise<string> {
  const clean = wanted.replace(/[^A-Za-z0-9._-]/g, "_");
  const names = new Set(await readdir(store.folder));
  for (let count = 1; ; count++) {
    const name = `${clean}${count === 1 ? "" : `-${count}`}${IMAGE_ENDING}`;
    if (!names.has(name)) return name;
  }
}

/** Whether an image goes onto a disk; null where the image cannot be opened. */
export function mayRestore(image: StoredImage, { bytes, sectorBytes }: Disk): Promise<RestorePlanResult | null> {
  return withDiskImage(image.path, (reader) => planRestore(reader, { bytes, sectorBytes })).catch(() => null);
}

export type RestoreEnd =
  | RestoreResult
  /** Found before anything was written, or in the middle of it. */
  | { state: "image-damaged"; isBegun: boolean }
  | { state: "not-opened" };

/** Writes an image onto a disk, verifies it, and lets the system read its table anew. */
export async function restore(
  image: StoredImage,
  disk: Disk,
  onProgress: (phase: "write" | "verify", part: number) => void,
): Promise<RestoreEnd> {
  const device = await openDisk(disk.path, disk.sectorBytes).catch(() => null);
  if (!device) return { state: "not-opened" };
  let isBegun = false;
  try {
    return await withDiskImage(image.path, async (reader) => {
      const planned = await planRestore(reader, { bytes: device.sizeBytes, sectorBytes: device.identity.sectorBytes });
      if (!planned.ok) return { state: "not-opened" };
      isBegun = true;
      return restoreDisk({
        image: reader,
        device,
        plan: planned.plan,
        onProgress: ({ phase, doneBlocks, blocks }) => onProgress(phase, doneBlocks / Math.max(1, blocks)),
      });
    });
  } catch {
    return { state: "image-damaged", isBegun };
  } finally {
    await device.close();
    await tool("blockdev", ["--rereadpt", disk.path]);
  }
}

/** Programs by which installed systems start, in the order in which they are looked for on the partition of start files. */
const LOADERS = [
  "EFI/Microsoft/Boot/bootmgfw.efi",
  ...["debian", "ubuntu", "fedora", "opensuse", "redhat", "rocky", "almalinux"].map(
    (name) => `EFI/${name}/shimx64.efi`,
  ),
  "EFI/debian/grubx64.efi",
];

export type BootEntry = { state: "none" } | { state: "refused" } | { state: "entered"; path: string };

/** Enters what a restored disk starts by in the firmware's boot order, as the first one. */
export async function enterBoot(disk: Disk, manifest: ImageManifest, folder: string): Promise<BootEntry> {
  const esp = manifest.partitions.find((each) => each.filesystem?.startsWith("fat"));
  if (!esp || manifest.table === "none") return { state: "none" };
  const device = `${disk.path}${/\d$/.test(disk.path) ? "p" : ""}${esp.number}`;
  if ((await tool("mount", ["-t", "vfat", "-o", "ro", device, folder])) === null) return { state: "none" };
  try {
    const loader = LOADERS.find((each) => existsSync(join(folder, each)));
    if (!loader) return { state: "none" };
    const path = `\\${loader.replaceAll("/", "\\")}`;
    const where = ["--disk", disk.path, "--part", String(esp.number), "--loader", path];
    const made = await tool("efibootmgr", ["--create", ...where, "--label", "Restored"]);
    return made === null ? { state: "refused" } : { state: "entered", path };
  } finally {
    await tool("umount", [folder]);
  }
}

/** What this computer says, by the collector's script; null where it failed. */
export async function survey(script: string): Promise<Facts | null> {
  const text = await tool("sh", [script], 300_000);
  if (text === null) return null;
  const reading = readFacts(text);
  return reading.ok ? reading.facts : null;
}

/** Keeps a report on the medium; it is there whole or not at all. Gives its name. */
export async function keepReport(store: Store, name: string, report: object): Promise<string> {
  const folder = join(store.folder, "CREEL", "reports");
  await mkdir(folder, { recursive: true });
  const path = join(folder, `${name.replace(/[^A-Za-z0-9._-]/g, "_")}.json`);
  const file = await NewFile.create(path);
  try {
    await file.write(new TextEncoder().encode(`${JSON.stringify(report, null, 1)}\n`));
    await file.finish();
  } finally {
    await file.close();
  }
  return basename(path);
}
