import { randomBytes } from "node:crypto";
import { type FileHandle, mkdir, open, readdir, rename, rm, writeFile } from "node:fs/promises";
import { basename, join } from "node:path";
import type { Facts } from "@/core/computer/facts/schema";
import { readFacts } from "@/core/computer/facts/schema";
import { decodeHeader, HEADER_BYTES, type ImageManifest } from "@/core/imaging/form";
import { ImageReader } from "@/core/imaging/reading";
import { planRestore, type RestoreResult, restoreDisk } from "@/core/imaging/restoring";
import { saveDisk } from "@/core/imaging/saving";
import { planSaving, type SavingPlan } from "@/core/imaging/saving-plan";
import { BlockPacker } from "@/server/host/block-packer";
import { openDisk } from "@/server/host/disk-device";
import { FileSource } from "@/server/host/file-source";
import type { Disk, Machine } from "./machine";
import type { Store } from "./medium";
import { tool } from "./shell";

const ENDING = ".creel-image";

/** An image in a store, with its manifest. */
export interface StoredImage {
  path: string;
  manifest: ImageManifest;
}

/** The images in a store, the latest first; what is none, or is not whole, is left out. */
export async function imagesIn(store: Store): Promise<StoredImage[]> {
  const images: StoredImage[] = [];
  for (const name of (await readdir(store.folder)).filter((each) => each.endsWith(ENDING))) {
    const path = join(store.folder, name);
    await withImage(path, store, async (image) => images.push({ path, manifest: image.manifest })).catch(() => null);
  }
  return images.sort((a, b) => (a.manifest.made < b.manifest.made ? 1 : -1));
}

class NotReadable extends Error {
  override readonly name = "NotReadable";
}

/** Opens an image of a store, with those that it goes on from. Throws `NotReadable`. */
export async function withImage<T>(path: string, store: Store, use: (image: ImageReader) => Promise<T>): Promise<T> {
  const packer = new BlockPacker();
  const opened: FileSource[] = [];
  try {
    const source = await FileSource.open(path);
    opened.push(source);
    const before = async (id: string) => {
      for (const name of (await readdir(store.folder)).filter((each) => each.endsWith(ENDING))) {
        const other = await FileSource.open(join(store.folder, name));
        opened.push(other);
        if (decodeHeader(await other.read(0, HEADER_BYTES))?.id === id) return other;
      }
      return null;
    };
    const result = await ImageReader.open(source, before, packer.unpack);
    if (!result.ok) throw new NotReadable(result.fault.code);
    return await use(result.image);
  } finally {
    await packer.close();
    await Promise.all(opened.map((each) => each.close()));
  }
}

export interface Saving {
  disk: Disk;
  plan: SavingPlan;
  store: Store;
  machine: Machine;
  tag: string | null;
  before: StoredImage | null;
  onSaved: (part: number) => void;
  onChecked: (part: number) => void;
}

export type SavingEnd =
  | { state: "saved"; file: string; bytes: number; unreadBytes: number }
  | { state: "differs" }
  | { state: "full" }
  | { state: "failed" };

export async function planOf(disk: Disk): Promise<SavingPlan> {
  const source = await FileSource.open(disk.path);
  try {
    return await planSaving(source, { sectorBytes: disk.sectorBytes, partitions: null });
  } finally {
    await source.close();
  }
}

/** Saves a disk into the store and reads the image back. What is not whole has no name of an image, and is taken away. */
export async function save(saving: Saving): Promise<SavingEnd> {
  const { disk, store, tag, machine } = saving;
  const made = new Date().toISOString();
  const name = await freeName(store, `${tag ?? machine.serial ?? "computer"}-${disk.name}-${made.slice(0, 10)}`);
  const path = join(store.folder, name);
  const part = `${path}.part`;
  const source = await FileSource.open(disk.path);
  const packer = new BlockPacker();
  const handle = await open(part, "w");
  try {
    // The plan reads by the disk that it was made of: it is made anew on this one.
    const plan = await planSaving(source, { sectorBytes: disk.sectorBytes, partitions: null });
    const run = (before: ImageReader | null) =>
      saveDisk({
        disk: source,
        plan,
        packer,
        sink: { write: (bytes) => writeAll(handle, bytes) },
        before,
        about: {
          ...{ id: randomBytes(16).toString("hex"), made, by: "Creel" },
          computer: { tag, serial: machine.serial, uuid: machine.uuid },
          disk: { name: disk.name, model: disk.model, serial: disk.serial },
        },
        onProgress: ({ doneBytes, totalBytes }) => saving.onSaved(doneBytes / Math.max(1, totalBytes)),
      });
    const result = saving.before ? await withImage(saving.before.path, store, run) : await run(null);
    if (result.state !== "saved") return { state: "failed" };
    await handle.sync();
    const faults = await withImage(part, store, (image) =>
      image.verify((done, of) => saving.onChecked(done / Math.max(1, of)), 1),
    );
    if (faults.length > 0) return { state: "differs" };
    await rename(part, path);
    const unreadBytes = result.manifest.unread.reduce((sum, each) => sum + each.bytes, 0);
    return { state: "saved", file: name, bytes: result.fileBytes, unreadBytes };
  } catch (error) {
    return { state: (error as NodeJS.ErrnoException).code === "ENOSPC" ? "full" : "failed" };
  } finally {
    await packer.close();
    await handle.close();
    await source.close();
    await rm(part, { force: true });
    await tool("sync", []);
  }
}

async function writeAll(handle: FileHandle, bytes: Uint8Array): Promise<void> {
  for (let done = 0; done < bytes.length; ) done += (await handle.write(bytes, done, bytes.length - done)).bytesWritten;
}

async function freeName(store: Store, wanted: string): Promise<string> {
  const clean = wanted.replace(/[^A-Za-z0-9._-]/g, "_");
  const names = new Set(await readdir(store.folder));
  for (let count = 1; ; count++) {
    const name = `${clean}${count === 1 ? "" : `-${count}`}${ENDING}`;
    if (!names.has(name)) return name;
  }
}

export type RestoreEnd = RestoreResult | { state: "damaged" } | { state: "not-opened" };

/** Writes an image onto a disk, reads it back, and lets the system read its table anew. */
export async function restore(
  image: StoredImage,
  store: Store,
  disk: Disk,
  onProgress: (phase: "write" | "verify", part: number) => void,
): Promise<RestoreEnd> {
  const device = await openDisk(disk.path).catch(() => null);
  if (!device) return { state: "not-opened" };
  try {
    return await withImage(image.path, store, async (reader) => {
      const planned = await planRestore(reader, { bytes: device.sizeBytes, sectorBytes: device.identity.sectorBytes });
      if (!planned.ok) return { state: "not-opened" };
      return restoreDisk({
        image: reader,
        device,
        plan: planned.plan,
        onProgress: ({ phase, doneBlocks, blocks }) => onProgress(phase, doneBlocks / Math.max(1, blocks)),
      });
    });
  } catch {
    return { state: "damaged" };
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

/** Enters what a restored disk starts by in the firmware's list, as the first one; null where there is none to enter. */
export async function enterStart(disk: Disk, manifest: ImageManifest, folder: string): Promise<string | null> {
  const esp = manifest.partitions.find((each) => each.filesystem?.startsWith("fat"));
  if (!esp || manifest.table === "none") return null;
  const device = `${disk.path}${/\d$/.test(disk.path) ? "p" : ""}${esp.number}`;
  if ((await tool("mount", ["-t", "vfat", "-o", "ro", device, folder])) === null) return null;
  try {
    for (const loader of LOADERS) {
      const source = await FileSource.open(join(folder, loader)).catch(() => null);
      if (!source) continue;
      await source.close();
      const path = `\\${loader.replaceAll("/", "\\")}`;
      const args = [
        "--create",
        "--disk",
        disk.path,
        "--part",
        String(esp.number),
        "--loader",
        path,
        "--label",
        "Restored",
      ];
      return (await tool("efibootmgr", args)) === null ? null : path;
    }
    return null;
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
  await writeFile(`${path}.part`, `${JSON.stringify(report, null, 1)}\n`, { flush: true } as object);
  await rename(`${path}.part`, path);
  await tool("sync", []);
  return basename(path);
}
