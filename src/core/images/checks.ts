import { roleOf } from "../computer/facts/roles";
import type { DiskFacts, DiskPartition, Facts } from "../computer/facts/schema";
import type { Range } from "../kernel/range";
import { nextImage } from "./contents";
import { nextImageBytes, type PastImages, type RatioSource, type StoreFit, storeFit } from "./forecast";

/** Where an image is to be kept, as far as it matters before it is taken. */
export interface ReceivingStore {
  name: string;
  kind: "medium" | "disk" | "share" | "host" | "block" | "computer";
  /** The computer that it is built into. */
  computer: string | null;
  diskSerial: string | null;
  freeBytes: number | null;
}

/** `right`: so by the facts. `wrong`: not so by the facts. `see`: somebody has to look. `do`: somebody has to see to it. */
type CheckState = "right" | "wrong" | "see" | "do";

export type ImageCheck =
  | {
      when: "before";
      state: CheckState;
      code: "start-up-included";
      partitions: string[];
      lacks: ("esp" | "active" | "system")[];
      /** The name of another disk that it starts from. */
      startsFrom?: string | null;
    }
  | { when: "before"; state: CheckState; code: "data-left-out"; partitions: string[] }
  | { when: "before"; state: CheckState; code: "store-left-out"; store: string; sameDisk: boolean }
  | { when: "before"; state: CheckState; code: "key-known"; encrypted: string[]; missing: string[] }
  | { when: "before"; state: CheckState; code: "fits"; fit: StoreFit | null }
  | { when: "before"; state: "see"; code: "file-system-clean" }
  | { when: "before"; state: "do"; code: "mains-power"; form: string | null }
  | { when: "after"; state: "do"; code: "verified" | "second-copy" | "recorded" };

/** Codes of everything that is seen to, in the order of the sheet. */
const ALL_CODES: ImageCheck["code"][] = [
  "start-up-included",
  "data-left-out",
  "store-left-out",
  "key-known",
  "fits",
  "file-system-clean",
  "mains-power",
  "verified",
  "second-copy",
  "recorded",
];
export const CHECK_CODES: readonly string[] = ALL_CODES;

export interface ImagePlan {
  disk: DiskFacts | null;
  /** Partitions that belong into the image, and those that are left out, by name. */
  take: string[];
  leave: string[];
  usedBytes: number | null;
  size: { bytes: Range; source: RatioSource } | null;
  checks: ImageCheck[];
}

const ROLE_NAMES: Record<string, string> = {
  ...{ esp: "EFI system", "bios-boot": "BIOS start", boot: "start-up", msr: "reserved", system: "system" },
  ...{ recovery: "recovery", data: "data", swap: "swap" },
};

/** What to see to before an image of a computer's system disk is taken, and after. Sources: the field guide, common practice. */
export function planImage(tag: string, facts: Facts, store: ReceivingStore | null, past: PastImages): ImagePlan {
  const { disk, usedBytes, lacks, startsFrom, ...contents } = nextImage(facts);
  const partitions = disk?.partitions ?? [];
  const named = (each: (typeof partitions)[number]) => {
    const role = roleOf(each);
    return each.label || `${role ? (ROLE_NAMES[role] ?? role) : "partition"} (${each.number})`;
  };
  const [take, leave] = [contents.take, contents.leave].map((some) => some.map(({ partition }) => partition)) as [
    DiskPartition[],
    DiskPartition[],
  ];
  const encrypted = take.filter(({ encryption }) => encryption);
  const size = nextImageBytes(contents.take, past);
  const missing = encrypted.filter(({ keyPlace }) => !keyPlace).map(named);
  // Without a serial on either side the store may be that very disk, and is taken for it.
  const sameDisk =
    store?.kind === "computer" &&
    store.computer === tag &&
    (store.diskSerial === null || store.diskSerial === disk?.serial);
  const fit = size && store?.freeBytes != null ? storeFit(store.freeBytes, size.bytes) : null;
  // Swap is left out always; nothing in it is missed.
  const data = leave.filter((each) => roleOf(each) !== "swap");
  return {
    ...{ disk, take: take.map(named), leave: leave.map(named), usedBytes, size },
    checks: [
      {
        when: "before",
        // Without a list of partitions there is nothing to hold against: somebody has to look.
        state: partitions.length === 0 ? "see" : lacks.length === 0 ? "right" : "wrong",
        code: "start-up-included",
        partitions: take.map(named),
        lacks,
        startsFrom: startsFrom?.name ?? null,
      },
      {
        when: "before",
        // Leaving data out may be meant, so it is shown, not called wrong.
        state: data.length === 0 ? "right" : "see",
        code: "data-left-out",
        partitions: data.map(named),
      },
      ...(store
        ? [
            {
              when: "before",
              state: sameDisk
                ? "wrong"
                : store.kind === "computer" || store.kind === "disk" || store.kind === "medium"
                  ? "do"
                  : "right",
              code: "store-left-out",
              store: store.name,
              sameDisk,
            } as const,
          ]
        : []),
      {
        when: "before",
        // An image whose recovery key is in no known place comes back as a volume that nobody opens.
        state: encrypted.length === 0 || missing.length === 0 ? "right" : "wrong",
        code: "key-known",
        encrypted: encrypted.map(named),
        missing,
      },
      {
        when: "before",
        state:
          fit === null ? "see" : fit.verdict === "fits" ? "right" : fit.verdict === "does-not-fit" ? "wrong" : "see",
        code: "fits",
        fit,
      },
      { when: "before", state: "see", code: "file-system-clean" },
      { when: "before", state: "do", code: "mains-power", form: facts.computer.form },
      { when: "after", state: "do", code: "verified" },
      { when: "after", state: "do", code: "second-copy" },
      { when: "after", state: "do", code: "recorded" },
    ],
  };
}
