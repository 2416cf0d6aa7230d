import { z } from "zod";
import type { DiskFacts, Facts } from "../../computer/facts/schema";
import type { systemSchema } from "../../medium/contents/schema";
import type { DriverIndex } from "../../medium/drivers/driver-set";
import type { ReleaseFacts } from "../../medium/releases/facts";
import type { StartKind } from "./start-kind";

/** What the links are judged from: the inventory as it concerns one computer and one medium. Null is unknown. */

export interface ComputerPart {
  tag: string;
  site: string | null;
  facts: Facts;
  /** The name of a disk that was told to take the place of the system's: the target, whatever else is there. */
  toldDisk?: string | null;
  /** The disk in whose place it was put, where it can still be read. */
  oldDisk?: DiskFacts | null;
  /** The computer whose images come onto this one; not given: its own. */
  imagesOf?: string | null;
}

/** A release as the links need it. */
export interface ReleasePart {
  /** Kit and release, as people say it: "Lantern 12". */
  name: string;
  kit: string;
  version: string;
  /** "Linux", "PE" or what the trade calls it. */
  family: string | null;
  /** Architecture of the environment that runs from it. */
  arch: string | null;
  madeOn: string | null;
  facts: ReleaseFacts;
  drivers: DriverIndex | null;
  /** What it installs or runs, as read from it; null where it was not read. */
  systems: z.infer<typeof systemSchema>[] | null;
  /** On a medium with several releases: which firmware comes to this one. Null: it comes up however the medium starts. */
  startedBy?: readonly StartKind[] | null;
}

/** `file`: not written yet. `entry`: an entry in the boot menu of a computer, with what it starts on that computer's disk. */
export const MEDIUM_KINDS = ["usb", "disk", "optical", "file", "entry"] as const;
export type MediumKind = (typeof MEDIUM_KINDS)[number];

/** Whether it is a thing that can be carried to a computer. */
export function isCarried(kind: MediumKind | string | null | undefined): boolean {
  return kind !== "file" && kind !== "entry";
}

export interface MediumPart {
  tag: string;
  /** What it is; a file has to be written to something before it is one. Not given: not known. */
  kind?: MediumKind | null;
  /** Of an entry: the computer on whose own disk it is. */
  onComputer?: string | null;
  site: string | null;
  lentTo: string | null;
  retired: boolean;
  /** Null: nothing was ever said of it. */
  condition: "good" | "worn" | "distrusted" | null;
  /** ISO day on which it was written last. */
  writtenOn: string | null;
  /** When all of it was last compared with what it should hold, and how that went; and when a sample of it was since. */
  verified: { on: string; whole: boolean; sampledOn?: string | null } | null;
  /** Other media in service that carry the same release: their tags and sites. */
  copies: { tag: string; site: string | null }[];
}

/**
 * Of any place: whether it is encrypted itself, and where its key is kept: a place, never the key; and which part of the
 * image it holds, where no store holds all of it.
 */
const lock = {
  ...{ encrypted: z.boolean().nullish(), keyPlace: z.string().max(200).nullish() },
  part: z.object({ number: z.number().int().min(1).max(99), of: z.number().int().min(2).max(99) }).nullish(),
};

/** Where a copy of an image is kept. */
export const imagePlaceSchema = z.discriminatedUnion("on", [
  z.object({ on: z.literal("medium"), tag: z.string(), ...lock }),
  /** An external disk: attached when it is needed. */
  z.object({ on: z.literal("disk"), name: z.string(), site: z.string().nullable(), ...lock }),
  /** A share: reached by the network from some sites; null: from where is not known. */
  z.object({
    ...{ on: z.literal("share"), name: z.string(), sites: z.array(z.string()).nullable() },
    /** Where it is in the network, and the name of who may read it: never a password. */
    ...{ address: z.string().max(300).nullish(), account: z.string().max(120).nullish(), ...lock },
  }),
  /** A disk built into a computer, by its serial. */
  z.object({ on: z.literal("computer"), tag: z.string(), diskSerial: z.string().nullable(), ...lock }),
]);
export type ImagePlace = z.infer<typeof imagePlaceSchema>;

/** What is brought where a copy lies in another computer: its disk, not the computer. */
export const CARRIED_DISK = "a disk to carry";

const imagePartitionSchema = z.object({
  role: z.string().max(60).nullable(),
  active: z.boolean().nullable(),
  /** As its table or its file numbers it. */
  name: z.string().max(60).nullish(),
  filesystem: z.string().max(40).nullish(),
  bytes: z.number().int().nonnegative().nullish(),
});

/** A disk that an image is of, beside the one that its other fields tell of. */
const imageDiskSchema = z.object({
  name: z.string().max(60),
  serial: z.string().max(120).nullish(),
  bytes: z.number().int().nonnegative().nullable(),
  sectorBytes: z.number().int().positive().nullable(),
  partitions: z.array(imagePartitionSchema).nullable(),
});
export type ImageDisk = z.infer<typeof imageDiskSchema>;

const imagePartSchema = z.object({
  id: z.string(),
  /** The computer that it was taken of. */
  computer: z.string(),
  make: z.string().nullable(),
  model: z.string().nullable(),
  /** ISO 8601. */
  takenAt: z.string(),
  kit: z.string().nullable(),
  kitVersion: z.string().nullable(),
  mode: z.enum(["uefi", "bios"]).nullable(),
  /** The disk that it came from: the whole disk, not the partition. */
  diskBytes: z.number().nullable(),
  sectorBytes: z.number().nullable(),
  partitions: z.array(imagePartitionSchema).nullable(),
  /** Disks that were saved with it as one thing. */
  moreDisks: z.array(imageDiskSchema).max(32).nullish(),
  encrypted: z.boolean().nullable(),
  /** Where its key is kept: a place, never the key. */
  keyPlace: z.string().nullable(),
  kind: z.enum(["full", "incremental", "differential"]),
  /** The image that it builds on. */
  parent: z.string().nullable(),
  /** Last verification and its outcome. */
  verified: z.object({ on: z.string(), whole: z.boolean() }).nullable(),
  places: z.array(imagePlaceSchema),
  /** Bytes in use on the disk, and bytes that its files have. */
  usedBytes: z.number().int().nonnegative().nullish(),
  storedBytes: z.number().int().nonnegative().nullish(),
  compression: z.string().max(20).nullish(),
  /** The machine's state, in words: "clean, with all updates". */
  state: z.string().max(200).nullish(),
  /** Every copy of it that was known is gone. */
  lost: z.boolean().nullish(),
  /** It stays whatever a policy says. */
  locked: z.boolean().nullish(),
  /** What was seen to before and after it was taken: codes of `images/checks.ts`. */
  checks: z.array(z.string().max(40)).max(40).nullish(),
  /** How long it took to take, in seconds. */
  takenSeconds: z.number().int().positive().nullish(),
});
/** A system image, as the Restores link needs it. */
export type ImagePart = z.infer<typeof imagePartSchema>;

/** What is kept of an image beside its name, its computer and its time. */
export const imageBodySchema = imagePartSchema.omit({ id: true, computer: true, takenAt: true });
export type ImageBody = z.infer<typeof imageBodySchema>;

/** A test start of a medium. */
export interface DrillPart {
  medium: string;
  computer: string;
  make: string | null;
  model: string | null;
  firmwareVersion: string | null;
  /** ISO day. */
  on: string;
  result: "started" | "restored" | "failed";
  /** On an emulated computer with such firmware, not on the computer itself. */
  emulated?: boolean;
}

/** Greatest ages in days; null: any age will do. Common practice, set by whoever runs the place. */
export interface PolicyPart {
  drillDays: number | null;
  verificationDays: number | null;
  /** What counts as proof: see `cover/policy.ts`; not given: a drill on a computer of the model. */
  proof?: "computer" | "model" | "verified" | "none";
}
export const USUAL_POLICY: PolicyPart = { drillDays: 365, verificationDays: 180 };
