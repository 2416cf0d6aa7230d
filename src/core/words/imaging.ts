import type { ImageManifest, SavedPartition } from "../imaging/form";
import type { BlockFault, ImageFault } from "../imaging/reading";
import type { RestoreRefusal } from "../imaging/restoring";
import { bytesText } from "./sizes";
import { visible } from "./visible";

/** Why an image cannot be opened, and what to do. */
export function imageFaultText(fault: ImageFault): string {
  switch (fault.code) {
    case "not-an-image":
      return "Not a disk image of Creel.";
    case "cut-off":
      return "Incomplete: saving or copying was interrupted. Copy it again, or save again.";
    case "damaged":
      return "Its index is damaged. Use another copy of it.";
    case "before-missing":
      return `Incremental: it requires image ${fault.id}, which is not in its folder. Copy that image there.`;
    case "before-differs":
      return `Incremental: image ${fault.id} in its folder has changed since. Use another copy of that image.`;
  }
}

const FAULTS: Record<BlockFault["why"], string> = {
  unreadable: "is unreadable",
  differs: "is damaged",
  "missing-before": "is missing from the previous image",
};

/** A block that is not what it was saved as. */
export function blockFaultText({ number, why }: BlockFault, blockBytes: number): string {
  return `Block ${number} (byte ${number * blockBytes} of the disk) ${FAULTS[why]}.`;
}

/** Why an image does not go onto a disk, and what to do. */
export function restoreRefusalText(why: RestoreRefusal): string {
  switch (why.code) {
    case "other-sectors":
      return `Sector size differs: image ${why.image} bytes, disk ${why.disk} bytes. Use a disk with the same sector size.`;
    case "too-small":
      return `Disk too small: the image requires ${bytesText(why.neededBytes)}, the disk has ${bytesText(why.diskBytes)}. Use a larger disk.`;
    case "table-damaged":
      return "The partition table in the image does not fit a disk of this size. Use a disk of the same size.";
    case "no-such-partition":
      return `The image has no partition ${why.number}.`;
    case "partition-not-saved":
      return `Partition ${why.number} is not in the image.`;
    case "partition-elsewhere":
      return `The disk has no partition at the position and of the size of partition ${why.number}. Restore the whole disk.`;
  }
}

const DOUBTS = {
  "not-left-in-order": " (not shut down cleanly)",
  "maps-damaged": " (allocation map damaged)",
};

/** What of a partition was saved. */
export function savedPartitionText(partition: SavedPartition): string {
  const { number, filesystem, label, bytes, saved, doubt, savedBytes } = partition;
  const name = [
    `${number}`.padStart(3),
    filesystem ?? "unknown content",
    label ? `“${visible(label)}”` : "",
    bytesText(bytes),
  ];
  const what = { nothing: "not saved", used: `${bytesText(savedBytes)} in use`, all: "saved in full" };
  return `${name.filter(Boolean).join("  ")}: ${what[saved]}${doubt ? DOUBTS[doubt] : ""}`;
}

/** An image in some lines. */
export function imageLines(manifest: ImageManifest): string[] {
  const { disk, computer, blocks, unread, before } = manifest;
  const unreadBytes = unread.reduce((sum, range) => sum + range.bytes, 0);
  return [
    `image      ${manifest.id}, saved ${manifest.made}`,
    `computer   ${visible(computer.tag ?? computer.serial ?? "not recorded")}`,
    `disk       ${[disk.model, disk.serial, bytesText(disk.bytes)]
      .filter((each) => each !== null)
      .map((each) => visible(each))
      .join(", ")}`,
    ...manifest.partitions.map((each) => `partition${savedPartitionText(each)}`),
    `blocks     ${blocks.count}, ${bytesText(blocks.packedBytes)} packed${blocks.before > 0 ? `, ${blocks.before} unchanged since the previous image` : ""}`,
    ...(before ? [`previous   ${before.id}`] : []),
    ...(unreadBytes > 0 ? [`unreadable ${bytesText(unreadBytes)} in ${unread.length} stretches of the disk`] : []),
  ];
}
