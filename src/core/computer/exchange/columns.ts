import { lastOf } from "../../kernel/item-at";
import { parseSize, unitOfHeading } from "../../kernel/parse-size";
import { orderedProvenance, type Provenance, provenanceSchema } from "../facts/merge";
import { architectureOf, FACTS_SCHEMA, type Facts, FORMS, factsSchema, readFacts } from "../facts/schema";
import type { CellProblem } from "./faults";

/** A computer as a row of a table holds it. */
export interface ComputerRecord {
  tag: string;
  name: string | null;
  site: string | null;
  note: string | null;
  /** When it was retired, ISO 8601 UTC; null: in service. */
  retired: string | null;
  facts: Facts;
  provenance: Provenance | null;
}

export interface Column {
  /** The heading in Creel's own files. */
  key: string;
  title: string;
  /** Other headings that mean it, as letters and digits only. */
  aliases: string[];
  /** Reading a cell changes the record, or says why it cannot. The heading may name a unit. */
  read: (record: ComputerRecord, cell: string, heading: string) => CellProblem | null;
  /** Makes it empty, where "empty cells clear" is chosen. Not there: a cell cannot be cleared. */
  clear?: (record: ComputerRecord) => void;
  write: (record: ComputerRecord) => string;
}

/** A value in a record: by its place in it, groups that are missing made on the way. */
type Place = string;

function valueAt(record: ComputerRecord, place: Place): unknown {
  return place
    .split(".")
    .reduce<unknown>((at, part) => (at as Record<string, unknown> | null | undefined)?.[part], record);
}

/** What stands where nothing was: a disk or system that a table fills column by column has all its fields. */
const BLANK_DISK = { name: "", bytes: 0, sectorBytes: null, bus: null, table: null, model: null, serial: null };
const BLANKS: Record<string, () => unknown> = {
  disks: () => [],
  "disks.*": () => ({ ...BLANK_DISK, removable: null, partitions: [], blank: null }),
  systems: () => [],
  "systems.*": () => ({
    name: "",
    family: null,
    version: null,
    build: null,
    edition: null,
    arch: null,
    language: null,
  }),
  secureBoot: () => ({ state: null, pk: null, kek: null, db: null, dbx: null, sbatLevel: null }),
  keys: () => ({ setup: null, startMenu: null, save: null }),
  ports: () => ({ usb: null, usbC: null, optical: null, management: null }),
  cpu: () => ({ arch: null, name: null }),
};

function setAt(record: ComputerRecord, place: Place, value: unknown): void {
  const parts = place.split(".");
  let at = record as unknown as Record<string, unknown>;
  for (const [index, part] of parts.slice(0, -1).entries()) {
    // `disks.1.bytes`: a number in a place is a position in a list.
    const number = Number(part);
    // Disks are filled up to the one that is meant; what stays without a size is taken out again.
    if (Array.isArray(at))
      while (at.length <= number)
        at.push({
          ...(BLANKS[`${parts[index - 1]}.*`]?.() as object),
          ...(parts[index - 1] === "disks" ? { name: `disk ${at.length + 1}` } : {}),
        });
    else at[part] ??= BLANKS[part]?.() ?? {};
    at = at[part as keyof typeof at] as Record<string, unknown>;
  }
  at[lastOf(parts)] = value;
}

/** Clearing makes nothing: what is not there is clear. */
function clearAt(record: ComputerRecord, place: Place, nothing: unknown): void {
  const around = place.slice(0, Math.max(0, place.lastIndexOf(".")));
  if (around === "" || (valueAt(record, around) ?? null) !== null) setAt(record, place, nothing);
}

const TEXT_MAX = 200;
export const DISK_COLUMNS = 3;

type Make = (key: string, title: string, place: Place, aliases: string[]) => Column;

/** Texts that must not be null are empty instead. */
const NEVER_NULL = /^tag$|^facts\.(disks|systems)\.\d+\.name$/;

function text(key: string, title: string, place: Place, aliases: string[], max = TEXT_MAX): Column {
  return {
    key,
    title,
    aliases,
    read: (record, cell) => {
      // Refused, not cut: half a note or serial would look like a whole one.
      if (cell.length > max) return { code: "cell-too-long", title, most: max, length: cell.length };
      if (cell.includes("\0")) return { code: "cell-with-zero-byte", title };
      setAt(record, place, cell.trim());
      return null;
    },
    clear: (record) => clearAt(record, place, NEVER_NULL.test(place) ? "" : null),
    write: (record) => String(valueAt(record, place) ?? ""),
  };
}

function short(cell: string): string {
  const one = cell.replace(/\s+/g, " ").trim();
  return one.length > 60 ? `${one.slice(0, 57)}…` : one;
}

/** A column whose cells are read by `parse`; undefined: the cell is none, and `refuse` says what would be. */
function parsed(
  parse: (cell: string, heading: string) => unknown,
  refuse: (title: string, cell: string) => CellProblem,
  show = (value: unknown) => String(value),
): Make {
  return (key, title, place, aliases) => ({
    key,
    title,
    aliases,
    read: (record, cell, heading) => {
      const value = parse(cell.trim(), heading);
      if (value === undefined) return refuse(title, short(cell));
      setAt(record, place, value);
      return null;
    },
    clear: (record) => clearAt(record, place, /disks.*bytes$/.test(place) ? 0 : null),
    write: (record) => {
      const value = valueAt(record, place);
      return value === null || value === undefined ? "" : show(value);
    },
  });
}

const noneOf =
  (allowed: string[]) =>
  (title: string, cell: string): CellProblem => ({ code: "cell-none-of", title, cell, allowed });

/** One of some words; several words may mean the same. */
function choice(words: Record<string, unknown>, show?: (value: unknown) => string): Make {
  // Digits mean on and off as well, but are not offered as words to choose from.
  const allowed = new Set(
    Object.entries(words).flatMap(([word, value]) => (/^\d/.test(word) ? [] : [String(show?.(value) ?? value)])),
  );
  return parsed((cell) => words[cell.toLowerCase()], noneOf([...allowed]), show);
}

const YES = ["on", "yes", "true", "enabled", "1"];
const NO = ["off", "no", "false", "disabled", "0"];
const either = <T>(yes: T, no: T): Record<string, T> =>
  Object.fromEntries([...YES.map((word) => [word, yes]), ...NO.map((word) => [word, no])]);
const ON_OFF = either("on", "off");

const onOff = choice(ON_OFF);
const architecture = parsed(
  (cell) => architectureOf(cell) ?? undefined,
  noneOf(["x64", "ia32", "aa64", "arm", "riscv64"]),
);
const size = parsed(
  (cell, heading) => parseSize(cell, unitOfHeading(heading)) ?? undefined,
  (title, cell) => ({ code: "cell-no-size", title, cell }),
);
const COUNT_MOST = 100;
const smallCount = parsed(
  (cell) => {
    const count = Number(cell);
    return Number.isInteger(count) && count >= 0 && count <= COUNT_MOST ? count : undefined;
  },
  (title, cell) => ({ code: "cell-no-count", title, cell, most: COUNT_MOST }),
);
const retirement = parsed(
  (cell) => {
    if (["no", "false", "0", "in service"].includes(cell.toLowerCase())) return null;
    const time = Date.parse(cell);
    return Number.isNaN(time) || !/^\d{4}-\d{2}-\d{2}/.test(cell) ? undefined : new Date(time).toISOString();
  },
  (title, cell) => ({ code: "cell-no-retirement", title, cell }),
);

const FORM_WORDS = {
  ...Object.fromEntries(FORMS.map((form) => [form, form])),
  notebook: "laptop",
  pc: "desktop",
  workstation: "desktop",
  tower: "desktop",
};
const FIRMWARE_WORDS = { uefi: "uefi", efi: "uefi", bios: "bios", "legacy bios": "bios", legacy: "bios" };
const SECURE_WORDS = {
  ...ON_OFF,
  setup: "setup",
  "set-up": "setup",
  "setup mode": "setup",
  absent: "absent",
  none: "absent",
};
const OPTICAL_WORDS = { ...either(true, false), none: false };

function diskColumns(index: number): Column[] {
  const n = index + 1;
  const place = `facts.disks.${index}`;
  /** The first disk goes by a name without a number, too. */
  const aliases = (...names: string[]) => names.flatMap((name) => (index === 0 ? [name, `${name}1`] : [`${name}${n}`]));
  const sizes = ["disksize", "disk", "diskgb", "hdd", "ssd", "harddisk", "storage", "drive", "capacity"];
  return [
    text(`disk${n}Name`, `Disk ${n}, name`, `${place}.name`, aliases("diskname", "device"), 100),
    size(`disk${n}Bytes`, `Disk ${n}, size`, `${place}.bytes`, aliases(...sizes)),
    text(`disk${n}Bus`, `Disk ${n}, bus`, `${place}.bus`, aliases("diskbus", "diskinterface", "disktype"), 40),
    text(`disk${n}Model`, `Disk ${n}, model`, `${place}.model`, aliases("diskmodel", "drivemodel")),
    text(`disk${n}Serial`, `Disk ${n}, serial`, `${place}.serial`, aliases("diskserial", "driveserial")),
  ];
}

/** Without what is not known, so that files stay small. */
export function lean(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(lean);
  if (typeof value !== "object" || value === null) return value;
  // An empty list of partitions says that the disk is empty: it is left out where that is not known.
  if ("partitions" in value && Array.isArray(value.partitions) && "blank" in value && value.blank === null)
    if (value.partitions.length === 0) return lean({ ...value, partitions: null });
  return Object.fromEntries(Object.entries(value).flatMap(([key, each]) => (each === null ? [] : [[key, lean(each)]])));
}

const wholeFacts: Column = {
  key: "facts",
  title: "All facts (creel.facts/1)",
  aliases: [],
  read: (record, cell) => {
    const reading = readFacts(cell);
    if (!reading.ok) return { code: "cell-no-facts", problem: reading.problem };
    record.facts = reading.facts;
    return null;
  },
  write: (record) => JSON.stringify(lean({ ...record.facts, schema: FACTS_SCHEMA })),
};

const wholeProvenance: Column = {
  key: "provenance",
  title: "Where each fact is from",
  aliases: [],
  read: (record, cell) => {
    try {
      const reading = provenanceSchema.safeParse(JSON.parse(cell));
      if (!reading.success) return { code: "provenance-unfit" };
      record.provenance = reading.data;
      return null;
    } catch {
      return { code: "provenance-not-json" };
    }
  },
  write: (record) => (record.provenance ? JSON.stringify(orderedProvenance(record.provenance)) : ""),
};

const TAGS = ["assettag", "asset", "assetno", "assetnumber", "inventoryno", "inventorynumber", "inventory", "label"];
const MEMORY = ["memory", "ram", "memorygb", "ramgb", "memorygib", "totalphysicalmemory"];

/** The columns of a table of computers, in the order in which Creel writes them. "facts" is read first. */
export const COLUMNS: Column[] = [
  text("tag", "Tag", "tag", [...TAGS, "hostname", "computer", "computername", "id"], 60),
  text("name", "Name", "name", ["description", "role", "user", "owner", "usage", "purpose", "desk"], 120),
  text("site", "Place", "site", ["place", "location", "office", "branch", "building", "room"], 120),
  text("make", "Make", "facts.computer.make", ["manufacturer", "vendor", "brand", "maker"]),
  text("model", "Model", "facts.computer.model", ["product", "productname", "modelname", "type", "hardware"]),
  text("serial", "Serial", "facts.computer.serial", ["serialnumber", "serialno", "sn", "servicetag"]),
  choice(FORM_WORDS)("form", "Form", "facts.computer.form", [
    "formfactor",
    "chassis",
    "chassistype",
    "kind",
    "devicetype",
  ]),
  choice(FIRMWARE_WORDS)("firmwareKind", "Firmware", "facts.firmware.kind", [
    "firmware",
    "bootmode",
    "firmwaretype",
    "biosmode",
  ]),
  architecture("firmwareArch", "Firmware architecture", "facts.firmware.arch", [
    "uefiarchitecture",
    "efiarchitecture",
    "uefibits",
  ]),
  text("firmwareVendor", "Firmware's maker", "facts.firmware.vendor", ["biosvendor", "biosmaker"]),
  text("firmwareVersion", "Firmware's version", "facts.firmware.version", [
    "biosversion",
    "uefiversion",
    "smbiosbiosversion",
  ]),
  choice({ ...ON_OFF, absent: "absent", none: "absent", both: "both" })(
    "legacyMode",
    "Legacy mode",
    "facts.firmware.legacyMode",
    ["csm", "legacyboot", "legacysupport"],
  ),
  choice(SECURE_WORDS)("secureBoot", "Secure Boot", "facts.firmware.secureBoot.state", [
    "securebootstate",
    "securebootenabled",
  ]),
  onOff("usbStart", "Start from USB", "facts.firmware.usbStart", ["usbboot", "bootfromusb", "startfromusb"]),
  onOff("fastBoot", "Fast boot", "facts.firmware.fastBoot", ["quickboot"]),
  text("setupKey", "Set-up key", "facts.firmware.keys.setup", ["bioskey"], 40),
  text(
    "startMenuKey",
    "Start menu key",
    "facts.firmware.keys.startMenu",
    ["bootmenukey", "bootmenu", "startmenu", "bootkey"],
    40,
  ),
  text("saveKey", "Save key", "facts.firmware.keys.save", [], 40),
  architecture("cpuArch", "Processor architecture", "facts.cpu.arch", ["architecture", "arch", "osarchitecture"]),
  text("cpuName", "Processor", "facts.cpu.name", ["cpu", "processor", "processorname"]),
  size("memoryBytes", "Memory", "facts.memoryBytes", MEMORY),
  smallCount("usbPorts", "USB ports", "facts.ports.usb", ["usb", "numberofusbports"]),
  choice(OPTICAL_WORDS, (value) => (value ? "yes" : "no"))("optical", "Optical drive", "facts.ports.optical", [
    "dvd",
    "dvddrive",
    "cdrom",
    "odd",
  ]),
  ...Array.from({ length: DISK_COLUMNS }, (_, index) => diskColumns(index)).flat(),
  text("systemFamily", "System, family", "facts.systems.0.family", ["osfamily", "ostype"], 40),
  text("systemName", "System", "facts.systems.0.name", ["os", "operatingsystem", "osname", "system"]),
  text("systemVersion", "System, version", "facts.systems.0.version", ["osversion", "release"], 80),
  text("systemEdition", "System, edition", "facts.systems.0.edition", ["osedition", "edition"], 80),
  text("systemArch", "System, architecture", "facts.systems.0.arch", ["osarch"], 20),
  text("systemLanguage", "System, language", "facts.systems.0.language", ["oslanguage", "language", "locale"], 35),
  text("note", "Note", "note", ["notes", "comment", "comments", "remark", "remarks"], 4000),
  retirement("retired", "Retired", "retired", ["retiredat", "decommissioned", "disposed"]),
  wholeFacts,
  wholeProvenance,
];

/** A record with nothing in it but its tag. */
export function emptyRecord(tag = ""): ComputerRecord {
  return {
    tag,
    name: null,
    site: null,
    note: null,
    retired: null,
    facts: factsSchema.parse({ schema: FACTS_SCHEMA }),
    provenance: null,
  };
}
