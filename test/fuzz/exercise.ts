import { readSigning } from "@/core/formats/authenticode";
import { readBootStore } from "@/core/formats/boot-store";
import { readBuiltInLists } from "@/core/formats/built-in-lists";
import { walk } from "@/core/formats/file-tree";
import { readKernelImage } from "@/core/formats/kernel-image";
import { readPe, readSbat } from "@/core/formats/pe";
import { readSignatureFile } from "@/core/formats/signature-file";
import { checkWimIntegrity, readWim } from "@/core/formats/wim";
import { WimArchive } from "@/core/formats/wim-tree";
import { type ByteSource, CachedSource, MemorySource } from "@/core/kernel/source";
import { DriverIndex } from "@/core/medium/drivers/driver-set";
import { decodeInf, readInf } from "@/core/medium/drivers/inf";
import { inspect } from "@/core/medium/inspection/inspect";
import { inspectionSchema } from "@/core/medium/inspection/schema";
import { readChecksums } from "@/core/medium/integrity/checksums";
import { folderItems, listVolumes } from "@/core/medium/volumes/listing";
import { volumesOf } from "@/core/medium/volumes/volumes";

/** Watches what is asked of a source: nothing outside of sense, nothing without bound. */
class Watched implements ByteSource {
  reads = 0;
  constructor(private readonly inner: MemorySource) {}
  get sizeBytes(): number {
    return this.inner.sizeBytes;
  }
  read(offset: number, length: number): Promise<Uint8Array> {
    if (++this.reads > READS_MAX) throw new Error(`more than ${READS_MAX} reads: it does not end`);
    if (Number.isNaN(offset) || Number.isNaN(length) || length > LENGTH_MAX)
      throw new Error(`a read of ${length} bytes at ${offset}`);
    return this.inner.read(offset, length);
  }
}

const READS_MAX = 400_000;
const LENGTH_MAX = 96 << 20;
const FILES_READ = 60;
const FILE_BYTES_READ = 1 << 20;

/**
 * Everything that Creel does with bytes from outside, done with these. Throws where the core throws, or breaks a promise.
 * How many things it found: entries of file systems, signatures, images of an archive, lists, devices, sums.
 */
export async function exercise(bytes: Uint8Array): Promise<number> {
  const source = new Watched(new MemorySource(bytes));
  const { inspection, drivers } = await inspect(source, { name: "fuzz", depth: "deep" });
  inspectionSchema.parse(inspection);
  new DriverIndex(drivers).claimants("pci:v00001AF4d00001042sv00001AF4sd00001042bc01sc80i00");
  const volumes = await volumesOf(new CachedSource(source));
  const listing = await listVolumes(volumes);
  for (const volume of listing.volumes) folderItems(volume, "/");
  let left = FILES_READ;
  for (const volume of volumes) {
    for await (const { entry } of walk(volume.tree, null, { entries: 3000 })) {
      if (entry.directory || left-- <= 0) continue;
      const content = await volume.tree.open(entry);
      if (!content) continue;
      if (content.sizeBytes > entry.sizeBytes) throw new Error("a file has more content than it says");
      for (let at = 0; at < Math.min(content.sizeBytes, FILE_BYTES_READ); at += 100_000)
        await content.read(at, 100_000);
      await content.read(content.sizeBytes - 1, 1);
    }
  }
  const image = await readPe(source);
  let found = listing.volumes.flatMap(({ entries }) => entries).length;
  found += (await readSigning(source, image)).signatures.length;
  await readBuiltInLists(source, image);
  await readSbat(source, image);
  await readKernelImage(source);
  await checkWimIntegrity(source);
  found += (await readWim(source))?.images.length ?? 0;
  found += (await readBootStore(source))?.entries.length ?? 0;
  await (await WimArchive.open(source))?.damaged();
  if (bytes.length < 1 << 20) {
    found += (await readSignatureFile(bytes)).entries.length;
    found += readInf(decodeInf(bytes))?.devices.length ?? 0;
    found += readChecksums(new TextDecoder().decode(bytes)).length;
  }
  return found;
}
