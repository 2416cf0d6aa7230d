import { type DiskFacts, FACTS_SCHEMA, type Facts, factsSchema } from "@/core/facts/schema";
import type { ComputerInput } from "@/server/services/computers";

/** A computer as the form holds it: texts, empty for "not known". */
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
  setupKey: string;
  startMenuKey: string;
  cpuArch: string;
  memoryGiB: string;
  usbPorts: string;
  optical: string;
  /** `from`: which of the disks at the beginning it was; empty for a new one. */
  disks: { from: string; name: string; gigabytes: string; bus: string }[];
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

/** Decimal gigabytes with what is needed to give the bytes back. */
function gigabytes(bytes: number): string {
  return String(Number((bytes / 1e9).toFixed(9)));
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
    setupKey: text(firmware.keys?.setup),
    startMenuKey: text(firmware.keys?.startMenu),
    cpuArch: text(facts.cpu?.arch),
    memoryGiB: gibibytes(facts.memoryBytes),
    usbPorts: text(ports?.usb),
    optical: ports?.optical === null || ports?.optical === undefined ? "" : ports.optical ? "yes" : "no",
    disks: (facts.disks ?? []).map((disk, index) => ({
      from: String(index),
      name: disk.name,
      gigabytes: gigabytes(disk.bytes),
      bus: text(disk.bus),
    })),
  };
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
  const disks = values.disks.flatMap((disk, index): DiskFacts[] => {
    if (disk.name.trim() === "" && disk.gigabytes.trim() === "") return [];
    const before = disk.from === "" ? undefined : base.disks?.[Number(disk.from)];
    const bytes =
      before && gigabytes(before.bytes) === disk.gigabytes
        ? before.bytes
        : number(disk.gigabytes, `disks.${index}.gigabytes`, 1e9, "A disk's size");
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
    };
    return [{ ...kept, name: word(disk.name) ?? `disk ${index + 1}`, bytes, bus: word(disk.bus) }];
  });
  const memoryBytes =
    values.memoryGiB === gibibytes(base.memoryBytes)
      ? base.memoryBytes
      : number(values.memoryGiB, "memoryGiB", 2 ** 30, "Memory");
  const usb = number(values.usbPorts, "usbPorts", 1, "The number of USB ports");
  if (values.tag.trim() === "") fields.tag = "A tag is needed: it is what is printed on the thing.";
  if (Object.keys(fields).length > 0) return { ok: false, fields };
  const secureBoot = word(values.secureBoot);
  const keys = {
    setup: word(values.setupKey),
    startMenu: word(values.startMenuKey),
    save: base.firmware.keys?.save ?? null,
  };
  const optical = values.optical === "" ? null : values.optical === "yes";
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
      kind: word(values.kind),
      arch: word(values.arch),
      legacyMode: word(values.legacyMode),
      secureBoot: secureBoot || base.firmware.secureBoot ? { ...base.firmware.secureBoot, state: secureBoot } : null,
      usbStart: word(values.usbStart),
      fastBoot: word(values.fastBoot),
      keys: Object.values(keys).some((key) => key !== null) ? keys : null,
    },
    cpu: word(values.cpuArch) ? { arch: word(values.cpuArch) } : base.cpu,
    memoryBytes,
    disks: disks.length > 0 || base.disks !== null ? disks : null,
    ports: usb === null && optical === null ? null : { usb, optical },
  });
  if (!facts.success)
    return {
      ok: false,
      fields: Object.fromEntries(facts.error.issues.map((issue) => [issue.path.join("."), issue.message])),
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
