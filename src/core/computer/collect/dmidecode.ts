import { itemAt } from "../../kernel/item-at";
import { statedText } from "../../kernel/stated-values";
import { type FORMS, uuidOf } from "../facts/schema";
import type { DocumentNote, Told } from "./document";

/** `dmidecode` text: blocks of "Handle …", a title, and indented "Name: value" lines. Source: SMBIOS 3.x, DSP0134. */
export function isDmidecode(text: string): boolean {
  return /^# dmidecode |^Handle 0x[0-9A-F]{4}, DMI type \d+/m.test(text);
}

type Block = { type: number; title: string; values: Map<string, string> };

function blocksOf(text: string): Block[] {
  const blocks: Block[] = [];
  let block: Block | null = null;
  let titled = false;
  for (const line of text.split(/\r?\n/).slice(0, 50_000)) {
    const handle = /^Handle 0x[0-9A-Fa-f]+, DMI type (\d+)/.exec(line);
    if (handle) {
      block = { type: Number(handle[1]), title: "", values: new Map() };
      blocks.push(block);
      titled = false;
    } else if (block && !titled && line.trim() !== "") {
      block.title = line.trim();
      titled = true;
    } else if (block) {
      const field = /^(?:\t| {2,8})([^\t:]+):\s*(.*)$/.exec(line);
      if (field?.[1] && !block.values.has(field[1].trim())) block.values.set(field[1].trim(), field[2]?.trim() ?? "");
    }
  }
  return blocks;
}

/** Chassis types of SMBIOS 3.x (7.4.1), as dmidecode names them, by the form they are. */
const CHASSIS: [RegExp, (typeof FORMS)[number]][] = [
  [/^(Tablet)$/i, "tablet"],
  [/^(Portable|Laptop|Notebook|Sub Notebook|Hand Held|Convertible|Detachable|Docking Station)$/i, "laptop"],
  [/^(Main Server Chassis|Rack Mount Chassis|Blade|Blade Enclosing|Multi-system|RAID Chassis)$/i, "server"],
  [
    /^(Desktop|Low Profile Desktop|Pizza Box|Mini Tower|Tower|All In One|Lunch Box|Space-saving|Mini PC|Sealed-case PC)$/i,
    "desktop",
  ],
];

/** The form of an SMBIOS chassis type by its name. Null where the table does not know. */
function formOfChassis(name: string | null): (typeof FORMS)[number] | null {
  if (name === null || /^(Other|Unknown)$/i.test(name)) return null;
  return CHASSIS.find(([pattern]) => pattern.test(name))?.[1] ?? "other";
}

const UNITS: Record<string, number> = { kB: 2 ** 10, KB: 2 ** 10, MB: 2 ** 20, GB: 2 ** 30, TB: 2 ** 40 };

/** dmidecode counts memory in powers of 1,024 though it writes MB and GB. */
function memoryOf(size: string | undefined): number | null {
  const match = /^(\d+)\s*(kB|KB|MB|GB|TB)$/.exec(size ?? "");
  return match ? Number(match[1]) * (UNITS[itemAt(match, 2)] ?? 1) : null;
}

/** Text of dmidecode. Types and fields by SMBIOS 3.7 (DSP0134), 7.1, 7.2, 7.4, 7.5 and 7.18; sizes are made bytes. */
export function readDmidecode(text: string): Told {
  const blocks = blocksOf(text);
  const first = (type: number) => blocks.find((block) => block.type === type)?.values;
  const [bios, system, chassis, processor] = [first(0), first(1), first(3), first(4)];
  const memory = blocks
    .filter((block) => block.type === 17)
    .map((block) => memoryOf(block.values.get("Size")))
    .filter((each) => each !== null);
  const notes: DocumentNote[] = [];
  if (/^# No SMBIOS nor DMI entry point found|Permission denied/im.test(text)) notes.push({ code: "no-dmi-table" });
  if (blocks.length === 0) notes.push({ code: "no-dmi-block" });
  const board = first(2);
  return {
    facts: {
      computer: {
        make: statedText(system?.get("Manufacturer")) ?? statedText(board?.get("Manufacturer")),
        model: statedText(system?.get("Product Name")) ?? statedText(board?.get("Product Name")),
        serial: statedText(system?.get("Serial Number")) ?? statedText(chassis?.get("Serial Number")),
        tag: tagOf(chassis?.get("Asset Tag")),
        form: formOfChassis(statedText(chassis?.get("Type"))),
        uuid: uuidOf(system?.get("UUID")),
      },
      firmware: {
        vendor: statedText(bios?.get("Vendor")),
        version: statedText(bios?.get("Version")),
      },
      cpu: { name: statedText(processor?.get("Version")) },
      memoryBytes: memory.length > 0 ? memory.reduce((sum, each) => sum + each, 0) : null,
    },
    notes,
  };
}

/** An asset tag where it is one: makers leave fillers here too. */
function tagOf(value: string | undefined): string | null {
  const text = statedText(value, 60);
  if (text === null || /asset|no tag|tag not set/i.test(text) || !/^[\p{L}\p{N}._-]+$/u.test(text)) return null;
  return text;
}
