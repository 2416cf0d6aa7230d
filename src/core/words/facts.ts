import type { Affected } from "../computer/affects";
import type { FactChange, FactSource, SourceKind } from "../computer/facts/merge";
import type { MissingFact } from "../computer/facts/missing";
import { type FactPath, type FactValue, nameOfPart } from "../computer/facts/paths";
import { readSbatLevel } from "../computer/secure-boot/sbat";
import { readSignatureLists } from "../formats/efi-signature-list";
import { fromBase64 } from "../kernel/base64";
import { archText, fileSystemText } from "./firmware";
import { binaryText, bytesText } from "./sizes";
import { visible } from "./visible";

const FIELD_TITLES: Record<string, string> = {
  "computer/tag": "Tag",
  "computer/make": "Make",
  "computer/model": "Model",
  "computer/serial": "Serial",
  "computer/form": "Form factor",
  "computer/uuid": "Board number (UUID)",
  "computer/addresses": "Network addresses",
  "firmware/kind": "Firmware",
  "firmware/arch": "Firmware architecture",
  "firmware/vendor": "Firmware's maker",
  "firmware/version": "Firmware's version",
  "firmware/legacyMode": "Legacy mode",
  "firmware/secureBoot/state": "Secure Boot",
  "firmware/secureBoot/pk": "Secure Boot, platform key (PK)",
  "firmware/secureBoot/kek": "Secure Boot, key exchange keys (KEK)",
  "firmware/secureBoot/db": "Secure Boot, allowed (db)",
  "firmware/secureBoot/dbx": "Secure Boot, revoked (dbx)",
  "firmware/secureBoot/sbatLevel": "Secure Boot, least generations (SBAT)",
  "firmware/fastBoot": "Fast boot",
  "firmware/usbStart": "Start from USB",
  "firmware/setupPassword": "Setup password",
  "firmware/setupPasswordPlace": "Setup password location",
  "firmware/keys/setup": "Setup key",
  "firmware/keys/startMenu": "Boot menu key",
  "firmware/keys/save": "Save key",
  "firmware/startOrder": "Boot order",
  "firmware/entries": "Boot entries",
  "cpu/arch": "Processor architecture",
  "cpu/name": "Processor",
  memoryBytes: "Memory",
  "ports/usb": "USB ports",
  "ports/usbC": "USB-C ports",
  "ports/optical": "Optical drive",
  "ports/management": "Management controller",
  "devices/pci": "PCI devices",
  "devices/usb": "USB devices",
  "devices/other": "Other devices",
};

const LEAVES: Record<string, string> = {
  bytes: "size",
  sectorBytes: "sector size",
  usedBytes: "used",
  filesystem: "file system",
  keyPlace: "recovery key location",
  arch: "architecture",
  number: "number",
  table: "table kind",
  blank: "empty",
};

/** A fact's name: "Disk sda, partition 2, used". */
export function factTitle(path: FactPath): string {
  const title = FIELD_TITLES[path];
  if (title) return title;
  const parts = path.split("/");
  if (parts[0] === "disks" && parts[1] !== undefined) {
    const disk = diskTitle(parts[1]);
    if (parts[2] === "partitions") {
      const leaf = parts[4];
      const partition = `${disk}, partition ${parts[3]}`;
      return leaf === undefined ? partition : `${partition}, ${LEAVES[leaf] ?? leaf}`;
    }
    return parts[2] === undefined ? disk : `${disk}, ${LEAVES[parts[2]] ?? parts[2]}`;
  }
  if (parts[0] === "systems" && parts[1] !== undefined) {
    const system = `System ${visible(nameOfPart(parts[1]), 60)}`;
    return parts[2] === undefined ? system : `${system}, ${LEAVES[parts[2]] ?? parts[2]}`;
  }
  return path;
}

/** A disk's key is its name, and where another bears that name, a mark of its own after a tilde. */
function diskTitle(key: string): string {
  const [name = "", serial] = key.split("~");
  const title = `Disk ${visible(nameOfPart(name), 60)}`;
  return serial === undefined ? title : `${title} (the other, ${visible(nameOfPart(serial), 60)})`;
}

const LISTS = /^firmware\/secureBoot\/(pk|kek|db|dbx)$/;

/** A fact's value in words. */
export function factValueText(path: FactPath, value: FactValue | null): string {
  if (value === null) return "not recorded";
  const leaf = path.split("/").at(-1) ?? "";
  if (typeof value === "number" && (leaf === "bytes" || leaf === "usedBytes"))
    return `${bytesText(value)} (${binaryText(value)})`;
  if (typeof value === "number" && leaf === "memoryBytes") return binaryText(value);
  if (typeof value === "number" && leaf === "start") return `at ${bytesText(value)}`;
  if (typeof value === "number" && leaf === "sectorBytes") return `${value.toLocaleString("en-GB")} bytes`;
  if (typeof value === "boolean") return value ? "yes" : "no";
  if (typeof value === "string") {
    if (LISTS.test(path)) return listText(value);
    if (path === "firmware/secureBoot/sbatLevel") return levelText(value);
    if (leaf === "filesystem") return fileSystemText(value);
    if (path === "firmware/arch" || path === "cpu/arch") return archText(value);
    if (path === "firmware/kind") return value === "uefi" ? "UEFI" : "BIOS";
    return visible(value, 160);
  }
  if (Array.isArray(value)) {
    if (path.startsWith("devices/")) return `${value.length} of them`;
    return visible(
      value
        .map((each) =>
          typeof each === "object" && each !== null && "name" in each
            ? `${String(each.id)} ${String(each.name)}`
            : String(each),
        )
        .join(", "),
      200,
    );
  }
  return visible(String(value), 160);
}

function levelText(level: string): string {
  const rows = readSbatLevel(level).filter((row) => row.component !== "sbat");
  return rows.map((row) => `${visible(row.component, 40)} ${row.generation}`).join(", ") || "none required";
}

function listText(base64: string): string {
  const bytes = fromBase64(base64);
  if (!bytes) return "unreadable";
  const { entries, fault } = readSignatureLists(bytes);
  const certificates = entries.filter((entry) => entry.kind === "x509").length;
  const digests = entries.length - certificates;
  const parts = [
    certificates > 0 && `${certificates} ${certificates === 1 ? "certificate" : "certificates"}`,
    digests > 0 && `${digests.toLocaleString("en-GB")} ${digests === 1 ? "hash" : "hashes"}`,
    fault && "damaged",
  ].filter(Boolean);
  return parts.join(", ") || "empty";
}

const KINDS: Record<SourceKind, string> = {
  hand: "set by hand",
  collector: "collected",
  tool: "from a tool",
  file: "from a facts file",
  table: "from a table",
  template: "from a similar computer",
  unknown: "not recorded",
};

/** Where a fact is from, in a few words; the time is left to the interface. */
export function sourceText(source: FactSource | null): string {
  if (!source) return "source not recorded";
  if (source.kind === "hand") return `set by hand${source.by ? ` by ${source.by}` : ""}`;
  return `${KINDS[source.kind]}: ${visible(source.name, 80)}`;
}

/** Why a change is not simply taken. */
export function changeReasonText({ why, currentSource }: Pick<FactChange, "why" | "currentSource">): string | null {
  switch (why) {
    case "set-by-hand":
      return `It was ${sourceText(currentSource)}, and stays unless you choose otherwise.`;
    case "older":
      return "The recorded value is newer, and stays unless you choose otherwise.";
    case "sources-differ":
      return "The documents disagree; the more trusted one is proposed.";
    case "another-in-its-place":
      return "Replaced by another disk. Its facts stay in the history.";
    case "attached-from-outside":
      return "Attached externally; left out unless you choose otherwise.";
    default:
      return null;
  }
}

const MISSING_TEXT: Record<MissingFact, string> = {
  serial: "the serial",
  model: "make and model",
  firmwareKind: "whether the firmware is BIOS or UEFI",
  firmwareArch: "the firmware's architecture",
  secureBootState: "whether Secure Boot is on",
  secureBootLists: "what Secure Boot allows (db)",
  disks: "its disks",
  partitions: "the contents of its disks",
  storageDevices: "its controllers and adapters",
  systems: "its system",
  usbStart: "whether it starts from USB",
  keyPlace: "a recovery key's location",
};

/** A fact that is missing, within a list. */
export function missingText(fact: MissingFact): string {
  return MISSING_TEXT[fact];
}

const listOf = (names: string[]) => names.map((name) => `“${visible(name, 80)}”`).join(", ");
const STATES: Record<string, string> = {
  on: "on",
  off: "off",
  setup: "in setup mode",
  absent: "absent",
  both: "both modes offered",
};

/** What a change touches, each with what to do about it. */
export function affectedText(affected: Affected): string {
  switch (affected.code) {
    case "firmware-updated":
      return `The firmware was updated from ${visible(affected.from)} to ${visible(affected.to)}: settings may be at their defaults, and drills were run with the old one.`;
    case "start-mode-changed":
      return `It started as ${affected.from} and now starts as ${affected.to}: other media start it, and earlier images do not fit as they are.`;
    case "secure-boot-changed":
      return `Secure Boot was ${STATES[affected.from] ?? affected.from} and is ${STATES[affected.to] ?? affected.to}: every medium is judged again.`;
    case "signers-gained":
      return `Its firmware now also trusts ${listOf(affected.names)}.`;
    case "signers-lost":
      return `Its firmware no longer trusts ${listOf(affected.names)}: media signed only by them will not start while Secure Boot is on.`;
    case "revoked-more":
      return `${affected.count.toLocaleString("en-GB")} more ${affected.count === 1 ? "program is" : "programs are"} revoked: older loaders may be among them.`;
    case "sbat-raised":
      return `First-stage loaders now require generation ${affected.to} of ${visible(affected.component)} instead of ${affected.from}: older media will be refused.`;
    case "setting-changed":
      return affected.setting === "fastBoot"
        ? `Fast boot was ${affected.from} and is ${affected.to}.`
        : `Start from USB was ${affected.from} and is ${affected.to}.`;
    case "disk-gone":
      return `The disk ${visible(affected.name)} is gone: its images may have no target.`;
    case "disk-smaller":
      return `The disk ${visible(affected.name)} is smaller than before (${bytesText(affected.to)} instead of ${bytesText(affected.from)}): images of the larger disk do not fit.`;
    case "disk-new":
      return `The disk ${visible(affected.name)} (${bytesText(affected.bytes)}) is new: no image exists.`;
    case "sector-size-changed":
      return `The disk ${visible(affected.name)} has sectors of ${affected.to} bytes instead of ${affected.from}: earlier images need a kit that converts sector sizes.`;
    case "system-changed":
      return `${visible(affected.from)} became ${visible(affected.to)}: images and included system files from before restore the older one.`;
    case "devices-changed":
      return `${affected.gained} of its devices are new and ${affected.lost} are gone: check again whether kits see its disks.`;
  }
}
