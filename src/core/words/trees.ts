import type { Unreadable } from "../formats/file-tree";
import type { VolumeId } from "../medium/volumes/volumes";

/** A volume of a medium, in words. */
export function volumeText(id: VolumeId): string {
  if (typeof id === "number") return `partition ${id}`;
  if (id === "iso9660") return "the disc (ISO 9660)";
  if (id === "udf") return "the disc (UDF)";
  if (id === "whole") return "the whole medium";
  if (id === "folder") return "the folder";
  const [kind, number] = id.split(":");
  if (kind === "lvm") return `logical volume ${number}`;
  if (kind === "wim") return `image ${number} of the archive`;
  return kind === "mbr" ? `partition ${number} of the MBR` : `boot image ${number} of the disc's catalogue`;
}

const UNREADABLE: Record<Unreadable, string> = {
  compressed: "its compression is not supported",
  encrypted: "it is encrypted",
  interleaved: "it is interleaved with another file",
  elsewhere: "its content is in another part or on another volume",
  special: "it is a device or a pipe, not a file with content",
};

/** Why a file system or archive is not read, within a sentence. */
export function unreadableText(why: Unreadable): string {
  return UNREADABLE[why];
}
