import { latin1, utf16 } from "../../kernel/fields";
import { itemAt } from "../../kernel/item-at";

/**
 * Driver information files, after Microsoft's "INF file sections and directives" (general syntax rules, [Version],
 * [Manufacturer], Models sections and their decorations, [Strings]).
 */
interface InfDevice {
  /** Hardware or compatible id in capitals: `PCI\VEN_8086&DEV_A282`. */
  id: string;
  description: string | null;
  /** x64, ia32, aa64, arm; null where the section serves every architecture that its system has. */
  arch: InfArch | null;
}
export type InfArch = "x64" | "ia32" | "aa64" | "arm";

export interface InfFile {
  className: string | null;
  provider: string | null;
  /** As the file has it, "MM/DD/YYYY". */
  date: string | null;
  version: string | null;
  catalogue: string | null;
  devices: InfDevice[];
  /** Files of the services that it adds: "nlstor.sys" (Microsoft, "INF AddService directive"). */
  programs: string[];
}

const LINES_MAX = 200_000;
const DEVICES_MAX = 100_000;
const SECTIONS_MAX = 20_000;
const PROGRAMS_MAX = 200;

const ARCHITECTURES: Record<string, InfArch | null> = {
  nt: null,
  ntx86: "ia32",
  ntamd64: "x64",
  ntarm64: "aa64",
  ntarm: "arm",
};

/** UTF-16 by its mark, or UTF-8 by its mark, else one byte a character. */
export function decodeInf(bytes: Uint8Array): string {
  if (bytes[0] === 0xff && bytes[1] === 0xfe) return utf16(bytes.subarray(2));
  if (bytes[0] === 0xfe && bytes[1] === 0xff) return utf16(bytes.subarray(2), true);
  if (bytes[0] === 0xef && bytes[1] === 0xbb && bytes[2] === 0xbf) return new TextDecoder().decode(bytes.subarray(3));
  return latin1(bytes);
}

interface Line {
  /** Before the equals sign; null where there is none. */
  key: string | null;
  values: string[];
}

/** Null where it is no such file: it has no [Version] with a signature. */
export function readInf(text: string): InfFile | null {
  const sections = readSections(text);
  const version = sections.get("version") ?? [];
  const strings = new Map<string, string>();
  for (const [name, lines] of sections) {
    // Languages have sections of their own ("strings.0409"): the plain one, or any, will do for names.
    if (name !== "strings" && !name.startsWith("strings.")) continue;
    for (const { key, values } of lines)
      if (key && (name === "strings" || !strings.has(key.toLowerCase())))
        strings.set(key.toLowerCase(), values[0] ?? "");
  }
  const resolve = (text: string | undefined): string | null =>
    text?.replace(/%([^%]*)%/g, (whole, token: string) =>
      token === "" ? "%" : (strings.get(token.toLowerCase()) ?? whole),
    ) || null;
  const value = (key: string, index = 0) =>
    resolve(version.find((line) => line.key?.toLowerCase() === key)?.values[index]);
  if (!value("signature") || !/^\$(windows nt|chicago|windows 95)\$$/i.test(value("signature") as string)) return null;
  return {
    className: value("class"),
    provider: value("provider"),
    date: value("driverver"),
    version: value("driverver", 1),
    catalogue: version.find((line) => line.key?.toLowerCase().startsWith("catalogfile"))?.values[0] ?? null,
    devices: readDevices(sections, resolve),
    programs: readPrograms(sections),
  };
}

function readPrograms(sections: Map<string, Line[]>): string[] {
  const programs = new Set<string>();
  for (const lines of sections.values())
    for (const { key, values } of lines) {
      const file = key?.toLowerCase() === "servicebinary" && values[0]?.split(/[\\/]/).at(-1);
      if (file && programs.size < PROGRAMS_MAX) programs.add(file.toLowerCase());
    }
  return [...programs];
}

function readDevices(sections: Map<string, Line[]>, resolve: (text: string | undefined) => string | null): InfDevice[] {
  const devices: InfDevice[] = [];
  const seen = new Set<string>();
  for (const { key, values } of sections.get("manufacturer") ?? []) {
    // A name alone is also the name of its models section.
    const [models, ...decorations] = key === null ? [values[0]] : values;
    const base = resolve(models)?.toLowerCase();
    if (!base) continue;
    for (const decoration of ["", ...decorations]) {
      const name = decoration ? `${base}.${decoration.trim().toLowerCase()}` : base;
      if (seen.has(name)) continue;
      seen.add(name);
      const arch = decoration ? architectureOf(decoration) : null;
      if (arch === undefined) continue;
      for (const line of sections.get(name) ?? []) {
        const [, ...ids] = line.values;
        for (const id of ids) {
          const resolved = resolve(id)?.trim().toUpperCase();
          if (!resolved || devices.length >= DEVICES_MAX) continue;
          // An undecorated section is for 32-bit systems wherever the file has decorated ones.
          const forArch = decoration === "" && decorations.length > 0 ? "ia32" : arch;
          devices.push({ id: resolved, description: resolve(line.key ?? undefined), arch: forArch });
        }
      }
    }
  }
  return devices;
}

/** "NTamd64.10.0...16299": the architecture is the first part; undefined for one that is not known. */
function architectureOf(decoration: string): InfArch | null | undefined {
  return ARCHITECTURES[itemAt(decoration.trim().split("."), 0).toLowerCase()];
}

/** Sections by lower-case name; several of one name count as one. */
function readSections(text: string): Map<string, Line[]> {
  const sections = new Map<string, Line[]>();
  let current: Line[] | null = null;
  let carried = "";
  for (const raw of text.split(/\r\n|\r|\n/).slice(0, LINES_MAX)) {
    const line = carried + withoutComment(raw);
    carried = "";
    if (line.trimEnd().endsWith("\\") && !line.trimEnd().endsWith('"') && line.length < 4096) {
      carried = line.trimEnd().slice(0, -1);
      continue;
    }
    const trimmed = line.trim();
    if (trimmed === "") continue;
    const heading = /^\[([^\]]*)\]/.exec(trimmed);
    if (heading) {
      const name = itemAt(heading, 1).trim().toLowerCase();
      if (sections.size >= SECTIONS_MAX) break;
      current = sections.get(name) ?? [];
      sections.set(name, current);
    } else current?.push(readLine(trimmed));
  }
  return sections;
}

/** What follows a semicolon outside quotes. */
function withoutComment(line: string): string {
  let quoted = false;
  for (let at = 0; at < line.length; at++) {
    if (line[at] === '"') quoted = !quoted;
    else if (line[at] === ";" && !quoted) return line.slice(0, at);
  }
  return line;
}

function readLine(line: string): Line {
  const equals = outsideQuotes(line, "=");
  const key = equals < 0 ? null : unquoted(line.slice(0, equals));
  const values: string[] = [];
  let rest = equals < 0 ? line : line.slice(equals + 1);
  while (values.length < 64) {
    const comma = outsideQuotes(rest, ",");
    values.push(unquoted(comma < 0 ? rest : rest.slice(0, comma)));
    if (comma < 0) break;
    rest = rest.slice(comma + 1);
  }
  return { key, values };
}

function outsideQuotes(text: string, char: string): number {
  let quoted = false;
  for (let at = 0; at < text.length; at++) {
    if (text[at] === '"') quoted = !quoted;
    else if (text[at] === char && !quoted) return at;
  }
  return -1;
}

function unquoted(text: string): string {
  const trimmed = text.trim();
  const inner = /^"(.*)"$/s.exec(trimmed)?.[1];
  return inner === undefined ? trimmed : inner.replaceAll('""', '"');
}
