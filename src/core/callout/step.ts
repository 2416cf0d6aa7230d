import type { StartKey } from "../computer/facts/key-cards";
import type { ImagePlace, MediumKind } from "../judging/model/parts";
import type { Reason } from "../judging/model/reasons";
import type { Change } from "../judging/model/schema";
import type { OutcomeKind } from "../judging/routes/outcome";
import type { Range } from "../kernel/range";
import type { Attachment } from "../medium/inspection/schema";

export type SheetMediumKind = MediumKind;

/** A disk as the day needs it: told apart by size and serial. Bytes. */
export interface SheetDisk {
  name: string;
  bytes: number;
  model: string | null;
  serial: string | null;
}

/** What comes of a further disk that an image holds: `of` is its name there, `disk` the one it goes onto, or is. */
export interface SheetMore {
  of: string;
  state: "placed" | "left" | "unsure" | "without-place" | "open";
  disk: SheetDisk | null;
}

/** Firmware set-up asks for a password; `place`: where it is kept, null: not recorded. */
export interface SetupPassword {
  place: string | null;
}

/** One step of the day, as code and facts. A mark on it is kept under its code. Sentences: `words/steps.ts`. */
export type Step =
  | {
      code: "fetch";
      medium: { tag: string; name: string | null; kind: SheetMediumKind; loads: string[] };
      lentTo: string | null;
      site: string | null;
      isWhereComputerIs: boolean;
      /** What to take in its place where it is to be had: "one not older than Gannet Desk 11.4". */
      instead: string | null;
      /** How long it takes; null: nothing is told. */
      seconds: Range | null;
    }
  | { code: "off-network" }
  | { code: "fetch-store"; image: string; places: ImagePlace[] }
  | { code: "destination" }
  /** `isBeside`: the old one stays until it was copied. */
  | { code: "fit-disk"; disk: SheetDisk; isBeside: boolean; fitting: string | null }
  | { code: "disconnect-disks"; keep: SheetDisk[]; others: SheetDisk[] }
  | { code: "power"; isPortable: boolean }
  | { code: "detach"; as: Attachment }
  | { code: "suspend"; volumes: string[] }
  | { code: "settings"; setupKey: StartKey; saveKey: StartKey; changes: Change[]; password: SetupPassword | null }
  | {
      code: "attach";
      medium: string;
      as: Attachment;
      isDriveExternal: boolean;
      changes: Change[];
      /** What has to be attached by USB at once where the computer has fewer ports. */
      ports: { needed: string[]; has: number } | null;
      /** It has USB-C alone. */
      needsAdapter: boolean;
    }
  | {
      code: "start";
      medium: string;
      menuKey: StartKey;
      isBios: boolean;
      /** Where a server's management controller answers. */
      management: string | null;
      /** It is chosen in the menu of the computer's own loader. */
      isEntry: boolean;
      /** From switching on until it runs. */
      seconds: Range | null;
      /** It has no keys: the start menu is opened by a volume key. */
      isTablet: boolean;
      /** How it starts, or what stands in the way. */
      reasons: Reason[];
      quirks: string | null;
    }
  | { code: "black-screen" }
  | { code: "no-format" }
  | { code: "drivers"; drivers: string[] }
  | { code: "look"; disks: SheetDisk[] }
  | { code: "unlock"; locked: { partition: string; keyPlace: string | null }[] }
  | { code: "erased"; hasOtherDisks: boolean }
  /** `next`: stores with further parts of it. */
  | { code: "attach-store"; place: ImagePlace | null; next?: ImagePlace[] }
  | { code: "choose-image"; image: { name: string; takenAt: string; keyPlace: string | null } | null }
  /** `toOther`: files go to another disk, not back onto the computer's. */
  | { code: "open-image"; image: { name: string; takenAt: string; keyPlace: string | null }; toOther: boolean }
  | { code: "choose-source"; disk: SheetDisk | null }
  | { code: "choose-target"; target: SheetDisk | null; isOther: boolean; more?: SheetMore[] }
  | {
      code: "choose-partition";
      disk: SheetDisk | null;
      partitions: { number: number; label: string | null; bytes: number | null; isTarget: boolean }[];
    }
  | { code: "save-table" }
  | { code: "swap-disks" }
  | { code: "read-only" }
  | { code: "copy-sectors" }
  | { code: "begin"; outcome: OutcomeKind; release: string | null; seconds: Range | null }
  /** `medium`: null where nothing was put in. */
  | { code: "take-out"; medium: string | null }
  | { code: "old-disk"; isNew: boolean }
  | { code: "settings-after"; setupKey: StartKey; saveKey: StartKey; changes: Change[]; password: SetupPassword | null }
  | {
      code: "put-back";
      medium: string;
      site: string | null;
      setupKey: StartKey;
      password: SetupPassword | null;
      changes: Change[];
      /** Settings that are left as they were changed. */
      stays: Change[];
      isBios: boolean;
      /** What is on the disk is not started again: files were taken off it, no more. */
      isLeftOff: boolean;
    }
  | { code: "passwords" }
  | { code: "rejoin"; days: number }
  | { code: "encrypt-again"; disk: string }
  | { code: "start-entry"; arch: string | null }
  | { code: "activate"; family: "windows" | null }
  /** Bytes behind the last partition. */
  | { code: "grow"; disk: string; bytes: number }
  | { code: "keep-old"; what: "disk" | "computer"; days: number }
  | { code: "updates"; seconds: Range | null }
  | { code: "applications" }
  | { code: "write-down"; computer: string };
type StepCode = Step["code"];

/** Something is lost or spoilt where these go wrong. */
const DANGEROUS: readonly StepCode[] = ["erased", "no-format", "choose-target", "choose-partition"];

/** Steps after which content is gone: they are confirmed one by one. */
export function isDangerous({ code }: Step): boolean {
  return DANGEROUS.includes(code);
}

/** What to look at where a step fails. */
export type Check =
  | { code: "fast-boot" }
  | { code: "usb-start" }
  | { code: "other-port" }
  | { code: "secure-boot-message" }
  | { code: "other-mode" }
  | { code: "other-computer" }
  | { code: "raid-mode" }
  | { code: "load-driver" }
  | { code: "reseat-disk" }
  | { code: "disk-in-setup" }
  | { code: "attach-store-again" }
  | { code: "environment-older" }
  | { code: "other-copy"; places: ImagePlace[] }
  | { code: "read-log" }
  | { code: "check-image" }
  | { code: "image-before" }
  | { code: "target-failing" }
  | { code: "medium-out" }
  | { code: "partition-active" }
  | { code: "same-mode" }
  | { code: "repair-start-up" };

export type BranchCode = "not-in-menu" | "disk-missing" | "image-not-listed" | "breaks-off" | "does-not-start";

/** Where a step fails: what is seen, and what to look at, the likeliest first. */
export interface Branch {
  code: BranchCode;
  checks: Check[];
}

/** A step with what to do where it fails. */
export interface GuidedStep {
  step: Step;
  branches: Branch[];
}
