import { type ImageContent, imageContents } from "../computer/facts/roles";
import type { DiskFacts, Facts } from "../computer/facts/schema";
import { usedBytesOf } from "../computer/needs/stored-size";
import { installedMode, startsFromOther, systemDisk } from "../computer/needs/system-disk";
import { modeOf } from "../judging/links/modes";

/** What the next image of a computer holds. */
export interface NextImage {
  /** Null: the facts do not tell which disk it is of. */
  disk: DiskFacts | null;
  take: ImageContent[];
  leave: ImageContent[];
  /** Bytes in use on what is taken; null: not known of one of them. */
  usedBytes: number | null;
  /** What it would not have, and could not start without. */
  lacks: ("esp" | "active" | "system")[];
  /** Another disk that it starts from, of which an image is wanted too; null: there is none. */
  startsFrom: DiskFacts | null;
}

/**
 * What an image of the system's disk holds, and whether it could start again. What cannot be told is taken, and may be the
 * system: a Linux root has no type of its own. Common practice.
 */
export function nextImage(facts: Facts, told: string | null = null): NextImage {
  const disk = systemDisk(facts, told);
  if (!disk) return { disk: null, take: [], leave: [], usedBytes: null, lacks: [], startsFrom: null };
  const contents = imageContents(disk);
  const [take, leave] = [
    contents.filter((each) => each.take !== "leave"),
    contents.filter((each) => each.take === "leave"),
  ];
  const used = take.map(({ partition, role }) => usedBytesOf(partition, role));
  const usedBytes =
    take.length > 0 && used.every((bytes) => bytes !== null)
      ? used.reduce<number>((sum, bytes) => sum + (bytes ?? 0), 0)
      : null;
  const lacks: NextImage["lacks"] = [];
  if (!take.some(({ role }) => role === "system" || role === null)) lacks.push("system");
  const mode = installedMode(disk) ?? modeOf(facts);
  if (mode === "uefi" && !take.some(({ role }) => role === "esp")) lacks.push("esp");
  if (mode === "bios" && !take.some(({ role, partition }) => partition.active === true || role === "bios-boot"))
    lacks.push("active");
  const startsFrom = lacks.includes("esp") ? startsFromOther(facts, disk) : null;
  return { disk, take, leave, usedBytes, lacks, startsFrom };
}
