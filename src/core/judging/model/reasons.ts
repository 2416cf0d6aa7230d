import type { DiskSet } from "../../computer/needs/system-disk";
import type { Finding } from "../../medium/findings/findings";
import type { BiosStep, BiosView, StartCode } from "../../medium/firmware/bios/view";
import type { Place } from "../../medium/firmware/place";
import type { LoadProblem } from "../../medium/firmware/uefi/choose";
import type { Leniency } from "../../medium/firmware/uefi/view";
import type { Allowed, Checker, Refusal, Undecided } from "./allowance";
import type { ImagePlace } from "./parts";

/** Reasons of the link Starts. */
export type StartReason =
  | { code: "uefi-starts"; file: string; place: Place; arch: string }
  | { code: "bios-starts"; program: StartCode }
  | { code: "no-loader"; arch: string; path: string; others: string[] }
  | LoadProblem
  /** A first stage that asks whoever sits there, where firmware is in set-up mode. */
  | { code: "next-asks"; file: string; next: string }
  | { code: "bios-stops"; step: BiosStep | null }
  | { code: "bios-not-known"; step: BiosStep | null }
  | { code: "fact-missing"; fact: string }
  | { code: "read-as-folder" }
  | { code: "loader-allowed"; file: string; by: Checker; how: Allowed }
  | { code: "loader-not-allowed"; file: string; by: Checker; refusal: Refusal }
  | { code: "loader-not-decided"; file: string; by: Checker; undecided: Undecided }
  | { code: "secure-boot-off-would-start" }
  | { code: "platform-recovery" }
  | { code: "signer-ended"; signer: string; on: string }
  | { code: "secure-boot-blocks-nothing" }
  | { code: "lenient"; leniency: Leniency }
  | { code: "bios-lenient"; leniency: BiosView["leniencies"][number] }
  | { code: "legacy-mode-on" }
  | { code: "legacy-entry-would-start" }
  | { code: "legacy-mode-would-start"; to: "on" | "off" }
  | { code: "other-attachment-would-start"; to: "usb" | "optical" }
  | { code: "usb-start-off" }
  | { code: "setup-password-place-unknown" }
  | { code: "fast-boot-on" }
  | { code: "internal-disk-first" }
  | { code: "no-optical-drive" }
  | { code: "no-usb-port" }
  | { code: "medium-fault"; fault: Finding }
  | { code: "medium-not-read" }
  | { code: "needs-inventory" };

/** Reasons of the links At hand, Sees, Restores and Proven. */
export type LinkReason =
  // At hand
  | { code: "medium-place-unknown" }
  | { code: "computer-place-unknown" }
  | { code: "medium-at-site"; site: string }
  | { code: "medium-elsewhere"; site: string; computerSite: string }
  | { code: "medium-lent"; to: string }
  | { code: "medium-retired" }
  | { code: "medium-worn" }
  | { code: "medium-distrusted" }
  | { code: "copy-at-site"; medium: string }
  | { code: "medium-is-file" }
  // Sees
  | { code: "release-not-recorded" }
  | { code: "release-drivers-unknown"; release: string }
  | { code: "no-controller-known" }
  | { code: "no-adapter-known" }
  | {
      code: "controllers-driven";
      release: string;
      disk: string | null;
      drivers: { device: string; driver: string }[];
    }
  | { code: "controllers-driven-in-part"; release: string; disk: string | null; missing: string[] }
  | { code: "controller-not-driven"; release: string; disk: string | null; device: string; whole: boolean }
  | { code: "driver-elsewhere"; driver: string; release: string; medium: string | null }
  | { code: "raid-mode-could-be-off" }
  | { code: "raid-set-breaks" }
  | { code: "driver-to-load"; driver: string; device: string }
  | { code: "own-port-not-driven"; device: string }
  | { code: "input-not-driven"; device: string }
  | { code: "no-input-driven"; device: string }
  | { code: "adapter-driven"; release: string; device: string; driver: string }
  | { code: "adapter-not-driven"; release: string; device: string }
  // Restores
  | { code: "nothing-to-restore"; release: string }
  | { code: "image-fact-missing"; fact: ImageFact }
  | { code: "image-mode-same"; mode: "uefi" | "bios" }
  | { code: "image-mode-converted"; release: string; from: string; to: string }
  | { code: "image-mode-other"; image: "uefi" | "bios"; computer: "uefi" | "bios" }
  | { code: "target-large-enough"; disk: string; bytes: number; needed: number }
  | { code: "target-too-small"; disk: string; bytes: number; needed: number }
  | { code: "system-disk-open"; disks: string[] }
  | { code: "disk-in-set"; disk: string; set: DiskSet }
  | { code: "other-target"; disk: string; bytes: number }
  | { code: "mbr-limit"; disk: string; bytes: number }
  | { code: "disk-too-small-to-install"; disk: string; bytes: number; needed: number }
  | { code: "sectors-differ"; disk: string; bytes: number; image: number }
  /** Disks of an image that is of several: each goes onto one of its own, or is left as it is. */
  | { code: "image-disk-placed"; of: string; disk: string; bytes: number }
  | { code: "image-disk-left"; disk: string }
  | { code: "image-disk-without-place"; of: string; bytes: number | null; isNeeded: boolean }
  | { code: "image-disk-size-unknown"; of: string }
  | { code: "image-disk-unsure"; of: string; disk: string }
  | { code: "image-in-parts"; of: number }
  | { code: "image-part-missing"; image: string; number: number; of: number }
  | { code: "image-starts-again" }
  | { code: "image-lacks"; lacks: ("esp" | "active" | "system")[] }
  /** It starts from another disk, which the image is not of. */
  | { code: "image-start-elsewhere"; disk: string }
  | { code: "image-roles-unknown"; lacks: ("esp" | "active" | "system")[] }
  | { code: "lineage-whole"; parts: number }
  | { code: "lineage-broken"; image: string; parent: string | null }
  | { code: "lineage-other-computer"; image: string; computer: string }
  | { code: "image-damaged"; image: string; on: string }
  | { code: "image-lost"; image: string }
  | { code: "image-unverified"; image: string }
  | { code: "image-opens"; release: string; kit: string }
  | { code: "image-kit-other"; release: string; kit: string }
  | { code: "image-kit-newer"; release: string; kit: string; version: string }
  | { code: "hardware-moves"; release: string }
  | { code: "hardware-other"; image: string; release: string }
  | { code: "key-kept"; place: string }
  | { code: "key-place-unknown"; partition: string }
  | { code: "image-on-medium"; medium: string }
  | { code: "image-elsewhere"; place: ImagePlace }
  | { code: "image-on-share"; share: string }
  | { code: "share-not-reached"; share: string; release: string }
  | { code: "share-not-here"; share: string; site: string }
  | { code: "share-reach-unknown"; share: string }
  | { code: "image-on-own-disk" }
  | { code: "image-on-second-disk"; disk: string }
  | { code: "image-disk-open" }
  | { code: "share-only"; image: string }
  | { code: "store-key-kept"; store: string; place: string }
  | { code: "store-key-unknown"; store: string }
  | { code: "store-not-recorded"; medium: string }
  | { code: "store-not-usable"; medium: string }
  | { code: "no-image-recorded" }
  | { code: "release-systems-unknown"; release: string }
  | { code: "nothing-included"; release: string }
  | { code: "included-fits"; included: string }
  | { code: "included-older"; runs: string; included: string }
  | { code: "included-newer"; runs: string; included: string }
  | { code: "language-differs"; runs: string; included: string }
  | { code: "system-differs"; fact: SystemFact; runs: string; included: string }
  | { code: "system-fact-missing"; fact: SystemFact; system: string }
  | { code: "included-fact-missing"; fact: SystemFact; included: string }
  | { code: "release-fact-missing"; fact: "family" | "arch" | "madeOn" | "factoryOf"; release: string }
  | { code: "entry-computer-unknown" }
  | { code: "entry-of-other"; computer: string }
  | { code: "entry-lost" }
  | { code: "entry-on-disk" }
  | { code: "entry-starts" }
  | { code: "factory-fits"; release: string; of: string }
  | { code: "table-has-backup"; disk: string }
  | { code: "table-is-searched"; disk: string }
  | { code: "system-partition-fits"; partition: string; bytes: number; needed: number }
  | { code: "system-partition-too-small"; partition: string; bytes: number; needed: number }
  | { code: "system-partition-size"; of: "disk" | "image" }
  | { code: "factory-other-model"; release: string; of: string }
  | { code: "environment-other-family"; release: string; family: string; system: string }
  | { code: "environment-older"; release: string; system: string }
  | { code: "environment-not-older"; release: string }
  | { code: "environment-cannot-service"; release: string; arch: string; system: string; wide: boolean }
  | { code: "system-age-unknown"; system: string }
  | { code: "disk-empty" }
  | { code: "repair-other-mode"; starts: "uefi" | "bios"; installed: "uefi" | "bios" }
  | { code: "mode-stays"; mode: "uefi" | "bios" }
  | { code: "filesystems-not-read"; release: string; filesystems: string[]; all: boolean }
  | { code: "filesystems-open"; release: string; filesystems: string[] }
  | { code: "repairs"; release: string }
  | { code: "rescues"; release: string }
  // Proven
  | { code: "no-drill-recorded" }
  | { code: "no-proof-asked" }
  | { code: "drill-on-model-only"; on: string; computer: string }
  | { code: "drill-emulated"; on: string; started: boolean }
  | { code: "drill-good"; on: string; computer: string | null; restored: boolean }
  | { code: "drill-failed"; on: string; computer: string | null }
  | { code: "drill-before-writing"; on: string; written: string }
  | { code: "drill-other-firmware"; on: string; was: string; is: string }
  | { code: "drill-old"; on: string; days: number; most: number }
  | { code: "never-verified" }
  | { code: "verification-good"; on: string }
  | { code: "verification-sampled"; on: string; sampled: string }
  | { code: "verification-failed"; on: string }
  | { code: "verified-before-writing"; on: string; written: string }
  | { code: "verification-old"; on: string; days: number; most: number };

/** What is to be known of an image before it is put back. */
export type ImageFact =
  | "mode"
  | "diskBytes"
  | "sectorBytes"
  | "partitions"
  | "kit"
  | "kitVersion"
  | "model"
  | "encrypted"
  | "keyPlace"
  | "places";
/** What tells one installed system from another. */
export type SystemFact = "family" | "name" | "version" | "edition" | "arch" | "language";

/** Why a link is as it is: a closed union of codes, each with its facts. Sentences: `words/reasons.ts`. */
export type Reason = StartReason | LinkReason;
