import "../../kernel/plain-issues";
import { z } from "zod";
import { architectureSchema } from "../../kernel/architecture";
import { KEY_REFUSED, looksLikeKey } from "./key-place";

export const FACTS_SCHEMA = "creel.facts/1";

const text = (max = 200) => z.string().trim().max(max);
const optional = <T extends z.ZodType>(schema: T) => schema.nullish().transform((value) => value ?? null);
const onOff = z.enum(["on", "off"]);
const base64 = z.string().regex(/^[A-Za-z0-9+/\s]*={0,2}$/, "is not base64");
/** Other common names of the same architectures, as tools and people write them. */
const ARCHITECTURE_ALIASES: Record<string, string> = {
  x86: "ia32",
  i386: "ia32",
  i686: "ia32",
  x86_64: "x64",
  amd64: "x64",
  aarch64: "aa64",
  arm64: "aa64",
};
const architecture = z.preprocess(
  (value) => (typeof value === "string" ? (ARCHITECTURE_ALIASES[value.toLowerCase()] ?? value) : value),
  architectureSchema,
);
const bytes = z.number().int().nonnegative().max(Number.MAX_SAFE_INTEGER);

/** The architecture of a name that tools and people write, or null. */
export function architectureOf(name: string): z.infer<typeof architectureSchema> | null {
  const parsed = architecture.safeParse(name);
  return parsed.success ? parsed.data : null;
}

const secureBootSchema = z.object({
  state: optional(z.enum(["on", "off", "setup", "absent"])),
  pk: optional(base64),
  kek: optional(base64),
  db: optional(base64),
  dbx: optional(base64),
  sbatLevel: optional(text(4000)),
});

const firmwareFactsSchema = z.object({
  /** How the computer starts now. A UEFI computer in legacy mode is `uefi` with `legacyMode: "on"`. */
  kind: optional(z.enum(["bios", "uefi"])),
  arch: optional(architecture),
  vendor: optional(text()),
  version: optional(text()),
  /** `both`: its firmware tries UEFI and legacy entries side by side, without a setting being changed. */
  legacyMode: optional(z.enum(["on", "off", "absent", "both"])),
  secureBoot: optional(secureBootSchema),
  fastBoot: optional(onOff),
  usbStart: optional(onOff),
  /** Whether firmware set-up asks for a password, and where that is kept: a place, never the password. */
  setupPassword: optional(z.enum(["none", "set"])),
  setupPasswordPlace: optional(text().refine((place) => !looksLikeKey(place), KEY_REFUSED)),
  keys: optional(z.object({ setup: optional(text(40)), startMenu: optional(text(40)), save: optional(text(40)) })),
  /** What the firmware tries, first to last: numbers of `entries`, or names where only those are known. */
  startOrder: optional(z.array(text(120)).max(64)),
  entries: optional(
    z
      .array(z.object({ id: text(20), name: text(), active: optional(z.boolean()), path: optional(text(400)) }))
      .max(256),
  ),
});
export type FirmwareFacts = z.infer<typeof firmwareFactsSchema>;

const diskPartitionSchema = z.object({
  number: z.number().int().positive(),
  type: optional(text(60)),
  start: optional(bytes),
  bytes,
  usedBytes: optional(bytes),
  filesystem: optional(text(40)),
  /** esp, system, recovery, data, swap, msr … */
  role: optional(text(40)),
  encryption: optional(text(60)),
  /** Where the recovery key is kept: a place, never the key. */
  keyPlace: optional(text().refine((place) => !looksLikeKey(place), KEY_REFUSED)),
  label: optional(text()),
  /** MBR: marked as the one to start from. */
  active: optional(z.boolean()),
});
export type DiskPartition = z.infer<typeof diskPartitionSchema>;

export const diskSchema = z
  .object({
    name: text(100),
    bytes,
    sectorBytes: optional(z.number().int().positive()),
    bus: optional(text(40)),
    table: optional(text(20)),
    model: optional(text()),
    serial: optional(text()),
    removable: optional(z.boolean()),
    partitions: z.array(diskPartitionSchema).max(256).nullish(),
    /** Whoever looked found nothing on it. Not told: an empty list of partitions says so, a missing one does not. */
    blank: z.boolean().nullish(),
  })
  .transform(({ partitions, blank, ...disk }) => ({
    ...disk,
    partitions: partitions ?? [],
    blank: blank === undefined && partitions?.length === 0 ? true : (blank ?? null),
  }));
export type DiskFacts = z.infer<typeof diskSchema>;

const systemFactsSchema = z.object({
  family: optional(text(40)),
  name: text(),
  version: optional(text(80)),
  build: optional(z.number()),
  edition: optional(text(80)),
  arch: optional(text(20)),
  language: optional(text(35)),
  /** The partition it is installed on, as the disk's name and the number: "sda 2". */
  partition: optional(text(120)),
});
export type SystemFacts = z.infer<typeof systemFactsSchema>;

const deviceSchema = z.object({ class: optional(text(60)), modalias: text(400), name: optional(text()) });
export type DeviceFacts = z.infer<typeof deviceSchema>;

const ADDRESSES_MAX = 32;

/** Numbers that boards carry which were never given one (common practice). */
const NO_UUID = /^(0{8}-(0{4}-){3}0{12}|f{8}-(f{4}-){3}f{12}|03000200-0400-0500-0006-000700080009)$/;

/** The number of a board, in small letters (SMBIOS, DSP0134, 7.2.1); what is none says nothing. */
export function uuidOf(value: unknown): string | null {
  const told = typeof value === "string" ? value.trim().toLowerCase() : "";
  return /^[0-9a-f]{8}-([0-9a-f]{4}-){3}[0-9a-f]{12}$/.test(told) && !NO_UUID.test(told) ? told : null;
}

/** A network address of a device that was given one for good, in small letters with colons (IEEE 802). */
function addressOf(value: unknown): string | null {
  const told = typeof value === "string" ? value.trim().toLowerCase().replaceAll("-", ":") : "";
  if (!/^([0-9a-f]{2}:){5}[0-9a-f]{2}$/.test(told) || /^(00:){5}00$/.test(told)) return null;
  // The second bit of the first byte: it was given by whoever runs the network; the first: it is of a group.
  return (Number.parseInt(told.slice(0, 2), 16) & 3) === 0 ? told : null;
}

/** Such addresses, each once and in order; null where there is none. */
function addressesOf(told: readonly string[] | null | undefined): string[] | null {
  const valid = (told ?? []).slice(0, ADDRESSES_MAX).flatMap((each) => addressOf(each) ?? []);
  return valid.length > 0 ? [...new Set(valid)].sort() : null;
}

export const FORMS = ["desktop", "laptop", "tablet", "server", "other"] as const;

const NO_IDENTITY = { tag: null, make: null, model: null, serial: null, form: null, uuid: null, addresses: null };

/** `creel.facts/1`: what is known of a computer. Null is an unknown, never a default. */
export const factsSchema = z.object({
  schema: z.literal(FACTS_SCHEMA),
  /** When and by what the facts were collected. */
  collected: optional(z.object({ at: optional(z.iso.datetime({ offset: true })), by: optional(text()) })),
  computer: z
    .object({
      tag: optional(text(60)),
      make: optional(text()),
      model: optional(text()),
      serial: optional(text()),
      /** A form without a name here is another one. */
      form: optional(z.enum(FORMS).catch("other")),
      /** The number of its board: a computer is known again by it where it has no serial number. */
      uuid: z.string().nullish().catch(null).transform(uuidOf),
      /** Addresses of the network devices that are built in, in their order. */
      addresses: z.array(z.string()).nullish().catch(null).transform(addressesOf),
    })
    .nullish()
    .transform((value) => value ?? { ...NO_IDENTITY }),
  firmware: firmwareFactsSchema.nullish().transform((value) => value ?? firmwareFactsSchema.parse({})),
  cpu: optional(z.object({ arch: optional(architecture), name: optional(text()) })),
  memoryBytes: optional(bytes),
  disks: optional(z.array(diskSchema).max(64)),
  devices: optional(z.array(deviceSchema).max(2000)),
  systems: optional(z.array(systemFactsSchema).max(32)),
  ports: optional(
    z.object({
      usb: optional(z.number().int().nonnegative()),
      /** How many of them are USB-C: where all are, most sticks need an adapter. */
      usbC: optional(z.number().int().nonnegative()),
      optical: optional(z.boolean()),
      /** Where a server's own management controller answers, with its screen, keyboard and media from afar. */
      management: optional(text()),
    }),
  ),
});
export type Facts = z.infer<typeof factsSchema>;

/** Why something is no facts file. */
export type FactsProblem =
  | { code: "not-json"; told: string }
  | { code: "other-schema"; declared: string | null; wanted: string }
  /** `at`: the value's place in it; null for the file itself. */
  | { code: "not-fitting"; at: string | null; told: string };

export type FactsReading = { ok: true; facts: Facts } | { ok: false; problem: FactsProblem };

/** Reads a facts file's text. */
export function readFacts(content: string): FactsReading {
  let value: unknown;
  try {
    value = JSON.parse(content.replace(/^\uFEFF/, ""));
  } catch (error) {
    return { ok: false, problem: { code: "not-json", told: error instanceof Error ? error.message : "unreadable" } };
  }
  return checkFacts(value);
}

/** A value as creel.facts/1, or the first thing that is wrong with it and where. */
export function checkFacts(value: unknown): FactsReading {
  const declared = typeof value === "object" && value !== null && "schema" in value ? value.schema : undefined;
  if (declared !== FACTS_SCHEMA) {
    const told = declared === undefined ? null : (JSON.stringify(declared) ?? null);
    return { ok: false, problem: { code: "other-schema", declared: told, wanted: FACTS_SCHEMA } };
  }
  const parsed = factsSchema.safeParse(value);
  if (parsed.success) return { ok: true, facts: parsed.data };
  const issue = parsed.error.issues[0];
  const at = issue && issue.path.length > 0 ? issue.path.join(".") : null;
  return { ok: false, problem: { code: "not-fitting", at, told: issue?.message ?? "it does not fit the form" } };
}
