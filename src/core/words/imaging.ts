import type { ImageManifest, SavedPartition } from "../imaging/form";
import type { BlockFault, ImageFault } from "../imaging/reading";
import type { RestoreRefusal } from "../imaging/restoring";
import { bytesText } from "./sizes";
import { visible } from "./visible";

/** Why an image cannot be read, and what to do. */
export function imageFaultText(fault: ImageFault): string {
  switch (fault.code) {
    case "not-an-image":
      return "It is no image that Creel made.";
    case "cut-off":
      return "Its end is missing: saving was cut off, or the copy is not whole. Copy it again, or save again.";
    case "damaged":
      return "Its index or its manifest is damaged. Use another copy of it.";
    case "before-missing":
      return `It goes on from image ${fault.id}, which is not in the same folder. Put that one beside it.`;
    case "before-differs":
      return `It goes on from image ${fault.id}, which is not what it was when this one was saved. Use another copy of that one.`;
  }
}

const FAULTS: Record<BlockFault["why"], string> = {
  unreadable: "cannot be read",
  differs: "is not what was saved",
  "missing-before": "is missing in the image before",
};

/** A block that is not what it was saved as. */
export function blockFaultText({ number, why }: BlockFault, blockBytes: number): string {
  return `Block ${number} (from byte ${number * blockBytes} of the disk on) ${FAULTS[why]}.`;
}

/** Why an image does not go onto a disk. */
export function restoreRefusalText(why: RestoreRefusal): string {
  switch (why.code) {
    case "other-sectors":
      return `The image is of a disk with sectors of ${why.image} bytes, and this disk has sectors of ${why.disk}. Use a disk with the same sectors.`;
    case "too-small":
      return `The image needs a disk of ${bytesText(why.neededBytes)}, and this one has ${bytesText(why.diskBytes)}. Use a larger disk.`;
    case "table-damaged":
      return "The partition table in the image is damaged, so that it cannot be written for a disk of another size. Use a disk of the same size.";
    case "no-such-partition":
      return `The image has no partition ${why.number}.`;
    case "partition-not-saved":
      return `Partition ${why.number} was left out when the image was saved.`;
    case "partition-elsewhere":
      return `The disk has no partition where partition ${why.number} of the image was, of the same size. Restore the whole disk.`;
  }
}

/** What of a partition was saved. */
export function savedPartitionText({
  number,
  filesystem,
  label,
  bytes,
  saved,
  doubt,
  savedBytes,
}: SavedPartition): string {
  const name = [`${number}`.padStart(3), filesystem ?? "not read", label ? `“${visible(label)}”` : ""].filter(Boolean);
  const what =
    saved === "nothing" ? "left out" : saved === "used" ? `${bytesText(savedBytes)} in use saved` : "all of it saved";
  const why = {
    "not-left-in-order": ", since it was not left in order",
    "maps-damaged": ", since its map of what is in use is damaged",
  };
  return `${name.join("  ")}  ${bytesText(bytes)}, ${what}${doubt ? why[doubt] : ""}`;
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
    `blocks     ${blocks.count}, ${bytesText(blocks.packedBytes)} packed${blocks.before > 0 ? `, ${blocks.before} as in the image before` : ""}`,
    ...(before ? [`goes on    from image ${before.id}`] : []),
    ...(unreadBytes > 0 ? [`not read   ${bytesText(unreadBytes)} in ${unread.length} stretches of the disk`] : []),
  ];
}
