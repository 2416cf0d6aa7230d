import { z } from "zod";
import { type FileTree, findEntry, openPath, type TreeEntry } from "../../formats/file-tree";
import { Hive } from "../../formats/hive";
import { CachedSource } from "../../kernel/source";
import { decodeInf } from "../drivers/inf";
import { volumeIdSchema } from "../volumes/volume-id";

/** A program that the environment starts by itself. */
const startedSchema = z.object({
  /** As its script names it. */
  program: z.string(),
  /** Null: it is not named by a path that can be followed. */
  isThere: z.boolean().nullable(),
});

export const environmentSchema = z.object({
  volume: volumeIdSchema,
  /** The archive, and which of its images. */
  path: z.string(),
  index: z.number().int(),
  arch: z.string().nullable(),
  /** "10.0.26100.1". */
  version: z.string().nullable(),
  build: z.number().int().nullable(),
  /** "en-GB", or the number of a language without a name here. */
  language: z.string().nullable(),
  /** Optional components, by their names. */
  components: z.array(z.string()),
  starts: z.array(startedSchema),
  /** Its registry was written to and not brought to its end. */
  isDirty: z.boolean(),
  /** What it takes in memory: the archive is kept there whole. */
  memoryBytes: z.number(),
});
export type Environment = z.infer<typeof environmentSchema>;

/** Windows PE asks for so much (Microsoft, "Windows PE", hardware requirements); its ramdisk comes on top (common practice). */
const LEAST_MEMORY_BYTES = 512 << 20;
const HIVES = "/Windows/System32/config";
const CURRENT = "Microsoft\\Windows NT\\CurrentVersion";
const PACKAGES = "Microsoft\\Windows\\CurrentVersion\\Component Based Servicing\\Packages";
const COMPONENTS_MAX = 200;
const SCRIPT_MAX_BYTES = 64 * 1024;
const STARTS_MAX = 50;

/** PROCESSOR_ARCHITECTURE, as the environment's variables have it. */
const ARCHITECTURES: Record<string, string> = { AMD64: "x64", X86: "ia32", ARM64: "aa64", ARM: "arm" };

/** Numbers of languages (MS-LCID, 2.2) that installations have; others are told as they are. */
const LANGUAGES: Record<string, string> = {
  ...{ "0401": "ar-SA", "0404": "zh-TW", "0405": "cs-CZ", "0406": "da-DK", "0407": "de-DE", "0408": "el-GR" },
  ...{ "0409": "en-US", "0809": "en-GB", "040b": "fi-FI", "040c": "fr-FR", "0c0c": "fr-CA", "040d": "he-IL" },
  ...{ "040e": "hu-HU", "0410": "it-IT", "0411": "ja-JP", "0412": "ko-KR", "0413": "nl-NL", "0414": "nb-NO" },
  ...{ "0415": "pl-PL", "0416": "pt-BR", "0816": "pt-PT", "0418": "ro-RO", "0419": "ru-RU", "041a": "hr-HR" },
  ...{ "041b": "sk-SK", "041d": "sv-SE", "041e": "th-TH", "041f": "tr-TR", "0422": "uk-UA", "0424": "sl-SI" },
  ...{ "0425": "et-EE", "0426": "lv-LV", "0427": "lt-LT", "0402": "bg-BG", "0804": "zh-CN", "0c0a": "es-ES" },
  ...{ "080a": "es-MX", "241a": "sr-Latn-RS", "0421": "id-ID", "042a": "vi-VN" },
};

type Found = Omit<Environment, "volume" | "path" | "index" | "memoryBytes">;

/** What an environment says of itself: its registry, and the scripts that start its tools. */
export async function readEnvironment(tree: FileTree): Promise<Found> {
  const [software, system] = [await hiveOf(tree, "SOFTWARE"), await hiveOf(tree, "SYSTEM")];
  const current = software?.key(CURRENT) ?? null;
  const build = current?.text("CurrentBuildNumber") ?? current?.text("CurrentBuild") ?? null;
  const numbers = [
    current?.number("CurrentMajorVersionNumber") ?? current?.text("CurrentVersion")?.split(".")[0],
    current?.number("CurrentMinorVersionNumber") ?? current?.text("CurrentVersion")?.split(".")[1],
    build,
    current?.number("UBR"),
  ];
  const set = `ControlSet${String(system?.key("Select")?.number("Current") ?? 1).padStart(3, "0")}`;
  const machine = system?.key(`${set}\\Control\\Session Manager\\Environment`)?.text("PROCESSOR_ARCHITECTURE");
  const languages = system?.key(`${set}\\Control\\Nls\\Language`);
  const language = languages?.text("InstallLanguage") ?? languages?.text("Default") ?? null;
  return {
    arch: (machine && ARCHITECTURES[machine.toUpperCase()]) || null,
    version: build === null ? null : numbers.filter((each) => each != null).join("."),
    build: build !== null && /^\d+$/.test(build) ? Number(build) : null,
    language: language && (LANGUAGES[language.toLowerCase()] ?? language),
    components: componentsOf(software),
    starts: await startsOf(tree),
    isDirty: Boolean(software?.isDirty || system?.isDirty),
  };
}

export function memoryFor(archiveBytes: number): number {
  return LEAST_MEMORY_BYTES + archiveBytes;
}

async function hiveOf(tree: FileTree, name: string): Promise<Hive | null> {
  const content = await openPath(tree, `${HIVES}/${name}`);
  return content && Hive.open(new CachedSource(content));
}

/** Packages of optional components: "WinPE-WMI-Package~31bf3856ad364e35~amd64~~10.0.26100.1" (Microsoft, "WinPE Optional Components"). */
function componentsOf(software: Hive | null): string[] {
  const names = new Set<string>();
  for (const key of software?.key(PACKAGES)?.keys() ?? []) {
    const name = /^(WinPE-[A-Za-z0-9-]+?)-Package~/i.exec(key.name)?.[1];
    if (name && names.size < COMPONENTS_MAX) names.add(name);
  }
  return [...names].sort();
}

/**
 * What it starts (Microsoft, "Winpeshl.ini reference", "Wpeinit and Startnet.cmd"): the programs that winpeshl.ini names; where
 * there is none, the lines of startnet.cmd.
 */
async function startsOf(tree: FileTree): Promise<Environment["starts"]> {
  const settings = await textAt(tree, "/Windows/System32/winpeshl.ini");
  const lines = settings === null ? ((await textAt(tree, "/Windows/System32/startnet.cmd")) ?? "") : settings;
  const programs = settings === null ? commandsOf(lines) : applicationsOf(lines);
  const starts: Environment["starts"] = [];
  for (const program of programs.slice(0, STARTS_MAX)) starts.push({ program, isThere: await isThere(tree, program) });
  return starts;
}

/** `[LaunchApp]` with `AppPath = …`, and `[LaunchApps]` with a program and its options a line. */
function applicationsOf(text: string): string[] {
  const programs: string[] = [];
  let section = "";
  for (const line of text.split(/\r?\n/).map((each) => each.trim())) {
    const heading = /^\[(.*)\]$/.exec(line)?.[1];
    if (heading !== undefined) section = heading.toLowerCase();
    else if (line === "" || line.startsWith(";")) continue;
    else if (section === "launchapp") {
      const path = /^AppPath\s*=\s*(.+)$/i.exec(line)?.[1];
      if (path) programs.push(firstOf(path));
    } else if (section === "launchapps") programs.push(firstOf(line.split(",", 1)[0] as string));
  }
  return programs;
}

/** Words of a batch file that start nothing by themselves. */
const NO_PROGRAM =
  /^(@?echo|rem|set|setlocal|endlocal|if|for|goto|cls|cd|chdir|pushd|popd|title|color|pause|exit|prompt|path)\b|^:/i;

function commandsOf(text: string): string[] {
  return text
    .split(/\r?\n/)
    .map((line) => line.trim().replace(/^@/, ""))
    .filter((line) => line !== "" && !NO_PROGRAM.test(line))
    .map((line) => firstOf(line.replace(/^(start|call)\s+(\/\w+\s+|""\s*)*/i, "")))
    .filter(Boolean);
}

/** The program of a line, without its options. */
function firstOf(line: string): string {
  const quoted = /^\s*"([^"]+)"/.exec(line)?.[1];
  return quoted ?? line.trim().split(/\s+/, 1)[0] ?? "";
}

/** Where programs without a path are looked for. */
const SEARCHED = ["/Windows/System32", "/Windows", "/Windows/System32/wbem"];
const ENDINGS = ["", ".exe", ".cmd", ".bat", ".com"];

async function isThere(tree: FileTree, program: string): Promise<boolean | null> {
  const path = program
    .replace(/%(systemroot|windir)%/gi, "X:\\Windows")
    .replace(/%systemdrive%/gi, "X:")
    .replace(/^X:/i, "")
    .replaceAll("\\", "/");
  // Of another drive nobody knows, nor of a variable that is set when it runs.
  if (/^[a-z]:/i.test(path) || path.includes("%")) return null;
  const folders = path.startsWith("/") ? [""] : SEARCHED;
  for (const folder of folders)
    for (const ending of ENDINGS) {
      const entry: TreeEntry | null = await findEntry(tree, `${folder}/${path.replace(/^\//, "")}${ending}`);
      if (entry && !entry.directory) return true;
    }
  return false;
}

async function textAt(tree: FileTree, path: string): Promise<string | null> {
  const content = await openPath(tree, path);
  return content && decodeInf(await content.read(0, SCRIPT_MAX_BYTES));
}
