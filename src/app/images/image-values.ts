import type { ImageBody } from "@/core/judging/model/parts";
import { bytesText } from "@/core/words/sizes";

export interface ImageToEdit {
  name: string;
  computer: string;
  /** ISO 8601. */
  takenAt: string;
  body: ImageBody;
}

interface PartitionValues {
  name: string;
  role: string;
  active: boolean;
  filesystem: string | null;
  bytes: number | null;
}

/** An image as its form has it. */
export interface ImageValues {
  name: string;
  computer: string;
  takenAt: string;
  kind: ImageBody["kind"];
  parent: string;
  kit: string;
  kitVersion: string;
  mode: string;
  disk: string;
  sectorBytes: string;
  used: string;
  stored: string;
  compression: string;
  encrypted: string;
  keyPlace: string;
  verifiedOn: string;
  verifiedWhole: string;
  state: string;
  takenMinutes: string;
  partitions: PartitionValues[];
  /** Names of other disks that it holds. */
  moreDisks: string[];
}

const sizeText = (bytes: number | null | undefined) => (bytes == null ? "" : bytesText(bytes));
const yesNo = (value: boolean | null) => (value === null ? "" : value ? "yes" : "no");

export function toValues({ name, computer, takenAt, body }: ImageToEdit): ImageValues {
  return {
    ...{ name, computer, takenAt: takenAt.slice(0, 16), kind: body.kind, parent: body.parent ?? "" },
    ...{ kit: body.kit ?? "", kitVersion: body.kitVersion ?? "", mode: body.mode ?? "" },
    ...{ disk: sizeText(body.diskBytes), sectorBytes: String(body.sectorBytes ?? "") },
    ...{ used: sizeText(body.usedBytes), stored: sizeText(body.storedBytes), compression: body.compression ?? "" },
    ...{ encrypted: yesNo(body.encrypted), keyPlace: body.keyPlace ?? "" },
    ...{ verifiedOn: body.verified?.on ?? "", verifiedWhole: body.verified?.whole === false ? "no" : "yes" },
    ...{ state: body.state ?? "", takenMinutes: body.takenSeconds ? String(Math.round(body.takenSeconds / 60)) : "" },
    partitions: (body.partitions ?? []).map(({ name: own, role, active, filesystem, bytes }, at) => ({
      ...{ name: own ?? String(at + 1), role: role ?? "", active: active ?? false },
      ...{ filesystem: filesystem ?? null, bytes: bytes ?? null },
    })),
    moreDisks: (body.moreDisks ?? []).map((disk) => disk.name),
  };
}

export function partitionsOf(values: ImageValues["partitions"]): ImageBody["partitions"] {
  if (values.length === 0) return null;
  return values.map(({ name, role, active, filesystem, bytes }) => ({
    ...{ name: name.trim() || null, role: role || null, active, filesystem, bytes },
  }));
}
