import { KEY_REFUSED, looksLikeKey } from "@/core/computer/facts/key-place";
import {
  type DiskFacts,
  type DiskPartition,
  FACTS_SCHEMA,
  type Facts,
  factsSchema,
  type SystemFacts,
} from "@/core/computer/facts/schema";
import { soldBytes, soldGigabytes } from "@/core/computer/hardware/sold-size";
import type { ComputerInput } from "@/server/inventory/computers";

/** A computer as the form holds it: texts, empty for "not recorded". */
export interface FormValues {
  tag: string;
  name: string;
  siteId: string;
  note: string;
  make: string;
  model: string;
  serial: string;
  form: string;
  kind: string;
  arch: string;
  legacyMode: string;
  secureBoot: string;
  usbStart: string;
  fastBoot: string;
  vendor: string;
  version: string;
  setupKey: string;
  startMenuKey: string;
  saveKey: string;
  setupPassword: string;
  setupPasswordPlace: string;
  cpuArch: string;
  memoryGiB: string;
  usbPorts: string;
  usbC: string;
  optical: string;
  management: string;
  /** `from`: which of the disks at the beginning it was; empty for a new one. */
  disks: DiskValues[];
  systems: SystemValues[];
}

interface DiskValues {
  from: string;
  name: string;
  gigabytes: string;
  bus: string;
  partitions: PartitionValues[];
}

interface PartitionValues {
  /** Which of the partitions at the beginning it was; empty for a new one. */
  from: string;
  number: string;
  gigabytes: string;
  usedGigabytes: string;
  filesystem: string;
  role: string;
  encryption: string;
  keyPlace: string;
}

interface SystemValues {
  /** Which of the systems at the beginning it was; empty for a new one. */
  from: string;
  name: string;
  family: string;
  version: string;
  build: string;
  edition: string;
  arch: string;
  language: string;
}

export interface ComputerStart {
  tag: string;
  name: string | null;
  siteId: number | null;
  note: string | null;
  facts: Facts;
}

export function emptyFacts(): Facts {
  return factsSchema.parse({ schema: FACTS_SCHEMA });
}

/** Decimal gigabytes: as it is sold where it has such a size, else rounded; a field that was not touched keeps its bytes. */
function gigabytes(bytes: number): string {
  return String(soldGigabytes(bytes) ?? Number((bytes / 1e9).toFixed(bytes < 1e7 ? 6 : 3)));
}

function gibibytes(bytes: number | null): string {
  return bytes === null ? "" : String(Number((bytes / 2 ** 30).toFixed(3)));
}

export function toForm({ tag, name, siteId, note, facts }: ComputerStart): FormValues {
  const { computer, firmware, ports } = facts;
  const text = (value: string | number | null | undefined) =>
    value === null || value === undefined ? "" : String(value);
  return {
    tag,
    name: text(name),
    siteId: text(siteId),
    note: text(note),
    make: text(computer.make),
    model: text(computer.model),
    serial: text(computer.serial),
    form: text(computer.form),
    kind: text(firmware.kind),
    arch: text(firmware.arch),
    legacyMode: text(firmware.legacyMode),
    secureBoot: text(firmware.secureBoot?.state),
    usbStart: text(firmware.usbStart),
    fastBoot: text(firmware.fastBoot),
    vendor: text(firmware.vendor),
    version: text(firmware.version),
    setupKey: text(firmware.keys?.setup),
    startMenuKey: text(firmware.keys?.startMenu),
    saveKey: text(firmware.keys?.save),
    setupPassword: text(firmware.setupPassword),
    setupPasswordPlace: text(firmware.setupPasswordPlace),
    cpuArch: text(facts.cpu?.arch),
    memoryGiB: gibibytes(facts.memoryBytes),
    usbPorts: text(ports?.usb),
    usbC: text(ports?.usbC),
    management: text(ports?.management),
    optical: ports?.optical === null || ports?.optical === undefined ? "" : ports.optical ? "yes" : "no",
    disks: (facts.disks ?? []).map((disk, index) => ({
      from: String(index),
      name: disk.name,
      gigabytes: gigabytes(disk.bytes),
      bus: text(disk.bus),
      partitions: disk.partitions.map((partition, nth) => ({
        from: String(nth),
        number: text(partition.number),
        gigabytes: gigabytes(partition.bytes),
        usedGigabytes: partition.usedBytes === null ? "" : gigabytes(partition.usedBytes),
        filesystem: text(partition.filesystem),
        role: text(partition.role),
        encryption: text(partition.encryption),
        keyPlace: text(partition.keyPlace),
      })),
    })),
    systems: (facts.systems ?? []).map((system, index) => ({
      from: String(index),
      name: system.name,
      family: text(system.family),
      version: text(system.version),
      build: text(system.build),
      edition: text(system.edition),
      arch: text(system.arch),
      language: text(system.language),
    })),
  };
}

/** Where a fact of the form is entered. */
function fieldOf(path: readonly PropertyKey[]): string {
  const at = path.join(".");
  return at === "firmware.setupPasswordPlace" ? "setupPasswordPlace" : at;
}

export type FormReading = { ok: true; input: ComputerInput } | { ok: false; fields: Record<string, string> };

/** The form's texts back over the facts that it began with: what the form does not show is kept. */
export function fromForm(values: FormValues, base: Facts): FormReading {
  const fields: Record<string, string> = {};
  const word = (value: string) => (value.trim() === "" ? null : value.trim());
  const number = (value: string, field: string, scale: number, what: string): number | null => {
    if (value.trim() === "") return null;
    const parsed = Number(value.trim().replace(",", "."));
    if (!Number.isFinite(parsed) || parsed < 0) {
      fields[field] = `${what} is a number.`;
      return null;
    }
    return Math.round(parsed * scale);
  };
  const sizeOf = (told: string, was: number | null | undefined, field: string, what: string): number | null =>
    was != null && gigabytes(was) === told ? was : number(told, field, 1e9, what);
  const partitionFrom = (told: PartitionValues, field: string, all: DiskPartition[] | undefined): DiskPartition[] => {
    const { from, number: _number, ...texts } = told;
    if (Object.values(texts).every((each) => each.trim() === "")) return [];
    const was = from === "" ? undefined : all?.[Number(from)];
    const bytes = sizeOf(told.gigabytes, was?.bytes, `${field}.gigabytes`, "A partition's size");
    const usedBytes = sizeOf(told.usedGigabytes, was?.usedBytes, `${field}.usedGigabytes`, "What is used of it");
    const nth = Number(told.number);
    if (!Number.isInteger(nth) || nth < 1) fields[`${field}.number`] = "Enter a partition number, 1 or more.";
    if (bytes === null) fields[`${field}.gigabytes`] ??= "Enter the size in GB.";
    else if (usedBytes !== null && usedBytes > bytes) fields[`${field}.usedGigabytes`] = "Used space exceeds the size.";
    if (looksLikeKey(told.keyPlace)) fields[`${field}.keyPlace`] = `What you typed ${KEY_REFUSED}`;
    const hidden = was ?? { type: null, start: null, label: null, active: null };
    const own = { filesystem: word(told.filesystem), role: word(told.role), encryption: word(told.encryption) };
    const keyPlace = own.encryption === null ? null : word(told.keyPlace);
    return [{ ...hidden, ...own, number: nth, bytes: bytes ?? 0, usedBytes, keyPlace }];
  };
  const disks = values.disks.flatMap((disk, index): DiskFacts[] => {
    if (disk.name.trim() === "" && disk.gigabytes.trim() === "") return [];
    const before = disk.from === "" ? undefined : base.disks?.[Number(disk.from)];
    const bytes =
      before && gigabytes(before.bytes) === disk.gigabytes
        ? before.bytes
        : (soldBytes(Number(disk.gigabytes.replace(",", "."))) ??
          number(disk.gigabytes, `disks.${index}.gigabytes`, 1e9, "A disk's size"));
    if (bytes === null || bytes === 0) {
      fields[`disks.${index}.gigabytes`] ??= "A disk's size is needed, in GB as printed on it.";
      return [];
    }
    const kept = before ?? {
      sectorBytes: null,
      table: null,
      model: null,
      serial: null,
      removable: null,
      partitions: [],
      // What is on a disk that was typed in is not recorded.
      blank: null,
    };
    const partitions = disk.partitions.flatMap((values, nth) =>
      partitionFrom(values, `disks.${index}.partitions.${nth}`, before?.partitions),
    );
    const name = word(disk.name) ?? `disk ${index + 1}`;
    return [{ ...kept, name, bytes, bus: word(disk.bus), partitions }];
  });
  const systems = values.systems.flatMap((system, index): SystemFacts[] => {
    const { from, name, build, ...texts } = system;
    if (name.trim() === "") {
      if (Object.values(texts).some((each) => each.trim() !== ""))
        fields[`systems.${index}.name`] = "A system's name is needed.";
      return [];
    }
    const before = from === "" ? undefined : base.systems?.[Number(from)];
    const read = (field: keyof typeof texts) => word(texts[field]);
    return [
      {
        partition: before?.partition ?? null,
        name: name.trim(),
        family: read("family"),
        version: read("version"),
        edition: read("edition"),
        arch: read("arch"),
        language: read("language"),
        build: number(build, `systems.${index}.build`, 1, "A build"),
      },
    ];
  });
  const memoryBytes =
    values.memoryGiB === gibibytes(base.memoryBytes)
      ? base.memoryBytes
      : number(values.memoryGiB, "memoryGiB", 2 ** 30, "Memory");
  const usb = number(values.usbPorts, "usbPorts", 1, "The number of USB ports");
  const usbC = number(values.usbC, "usbC", 1, "The number of USB-C ports");
  if (usb !== null && usbC !== null && usbC > usb) fields.usbC = "There cannot be more USB-C ports than USB ports.";
  if (values.tag.trim() === "") fields.tag = "A tag is needed: it is what is printed on the thing.";
  if (Object.keys(fields).length > 0) return { ok: false, fields };
  const secureBoot = word(values.secureBoot);
  const keys = {
    setup: word(values.setupKey),
    startMenu: word(values.startMenuKey),
    save: word(values.saveKey),
  };
  const optical = values.optical === "" ? null : values.optical === "yes";
  const ports = { usb, usbC, optical, management: word(values.management) };
  const facts = factsSchema.safeParse({
    ...base,
    computer: {
      ...base.computer,
      tag: values.tag.trim(),
      make: word(values.make),
      model: word(values.model),
      serial: word(values.serial),
      form: word(values.form),
    },
    firmware: {
      ...base.firmware,
      vendor: word(values.vendor),
      version: word(values.version),
      kind: word(values.kind),
      arch: word(values.arch),
      legacyMode: word(values.legacyMode),
      secureBoot: secureBoot || base.firmware.secureBoot ? { ...base.firmware.secureBoot, state: secureBoot } : null,
      usbStart: word(values.usbStart),
      fastBoot: word(values.fastBoot),
      setupPassword: word(values.setupPassword),
      setupPasswordPlace: values.setupPassword === "set" ? word(values.setupPasswordPlace) : null,
      keys: Object.values(keys).some((key) => key !== null) ? keys : null,
    },
    cpu: word(values.cpuArch) ? { ...base.cpu, arch: word(values.cpuArch) } : base.cpu && { ...base.cpu, arch: null },
    memoryBytes,
    disks: disks.length > 0 || base.disks !== null ? disks : null,
    systems: systems.length > 0 || base.systems !== null ? systems : null,
    ports: Object.values(ports).some((each) => each !== null) ? ports : null,
  });
  if (!facts.success)
    return {
      ok: false,
      fields: Object.fromEntries(facts.error.issues.map((issue) => [fieldOf(issue.path), issue.message])),
    };
  return {
    ok: true,
    input: {
      tag: values.tag.trim(),
      name: word(values.name),
      siteId: values.siteId === "" ? null : Number(values.siteId),
      note: word(values.note),
      facts: facts.data,
    },
  };
}
