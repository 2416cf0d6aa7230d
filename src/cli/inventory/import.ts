import { readFile, stat } from "node:fs/promises";
import { basename, join } from "node:path";
import { CachedSource } from "@/core/kernel/source";
import { findPack, type OpenPackFile, type Pack, readPack } from "@/core/making/pack/pack-read";
import { manifestWithoutSystemFiles } from "@/core/making/planning/release-tree";
import { inspect } from "@/core/medium/inspection/inspect";
import { verifyAgainst } from "@/core/medium/integrity/verify";
import { packProblemText } from "@/core/words/bench";
import { problemText } from "@/core/words/problems";
import { visible } from "@/core/words/visible";
import { readWorld, type WorldReading } from "@/core/world/read";
import type { WorldDocument } from "@/core/world/schema";
import { importPack, type PackImport, type PackImportOptions } from "@/server/bench/pack-import";
import { importWorld, type WorldImport } from "@/server/bench/world-import";
import { FileSource } from "@/server/host/file-source";
import { nativeHasher } from "@/server/host/native-hasher";
import { fileProblem, UsageError, withFile } from "../problems";
import { withInventory } from "./inventory";

export interface ImportOptions {
  as?: string;
  /** Compare each whole medium with the manifest that it carries. */
  verify?: boolean;
  json?: boolean;
}

/** A pack with what else its medium shows. */
interface Found {
  file: string;
  pack: Pack;
  options: PackImportOptions;
}

/**
 * Takes in media, or their packs, into the inventory: each argument is a medium's image or device, the folder that a
 * medium is mounted at, or its CREEL folder. The newest comes first, so that what it knows stands. Exit 1 where one of
 * them is not taken in; the others are.
 */
export async function runImport(files: string[], options: ImportOptions): Promise<number> {
  const found: Found[] = [];
  let exit = 0;
  const refuse = (file: string, problem: string) => {
    exit = 1;
    say(options, { file, problem }, `${visible(file)}: ${problem}`);
  };
  const worlds: { file: string; document: WorldDocument }[] = [];
  for (const file of files) {
    const world = await worldIn(file);
    if (world) {
      if (world.ok) worlds.push({ file, document: world.document });
      else refuse(file, [world.at, world.told].filter(Boolean).join(": "));
      continue;
    }
    const reading = (await isFolder(file)) ? await inFolder(file) : await onMedium(file, options.verify ?? false);
    if (typeof reading === "string") refuse(file, reading);
    else found.push({ file, ...reading });
  }
  found.sort((a, b) => b.pack.head.madeAt.localeCompare(a.pack.head.madeAt));
  await withInventory(options.as, async (context) => {
    for (const { file, pack, options: given } of found) {
      const result = await importPack(context, pack, given);
      if (result.ok) say(options, { file, ...result.value, isWhole: given.isWhole }, told(result.value, given.isWhole));
      else refuse(file, problemText(result.problem));
    }
    for (const { file, document } of worlds) {
      const result = await importWorld(context, document, basename(file));
      if (result.ok) say(options, { file, ...result.value }, worldTold(result.value));
      else refuse(file, problemText(result.problem));
    }
  });
  return exit;
}

/** A file that is a world document, read; null: it is something else. */
async function worldIn(file: string): Promise<WorldReading | null> {
  if (!/\.json$/i.test(file)) return null;
  let text: string;
  try {
    text = await readFile(file, "utf8");
  } catch {
    return null;
  }
  try {
    return readWorld(JSON.parse(text.replace(/^\uFEFF/, "")));
  } catch {
    return { ok: false, at: null, told: "not JSON" };
  }
}

function worldTold(added: WorldImport): string {
  const parts = Object.entries(added).flatMap(([what, count]) => (count > 0 ? [`${count} ${what}`] : []));
  return parts.length > 0 ? `Added: ${parts.join(", ")}.` : "Nothing new: all of it is recorded.";
}

function say({ json }: ImportOptions, value: object, text: string): void {
  process.stdout.write(`${json ? JSON.stringify(value) : text}\n`);
}

function told({ medium, release, computers, keyCards }: PackImport, isWhole: boolean | null): string {
  const state = { added: "added", known: "known already", completed: "completed from the pack" };
  const parts = [
    `${visible(medium.tag)}: ${state[medium.state]}`,
    `${visible(release.text)} ${state[release.state]}`,
    `computers ${computers.added} added, ${computers.known} known`,
    `key cards ${keyCards.added} added, ${keyCards.known} known`,
  ];
  if (isWhole !== null) parts.push(isWhole ? "whole" : "NOT as its manifest says");
  return parts.join("; ");
}

async function isFolder(path: string): Promise<boolean> {
  return stat(path).then(
    (found) => found.isDirectory(),
    (error: unknown) => {
      throw new UsageError(`${visible(path)}: ${fileProblem(error)}`);
    },
  );
}

type Reading = { pack: Pack; options: PackImportOptions } | string;

/** A medium's first folder, or its CREEL folder. */
async function inFolder(folder: string): Promise<Reading> {
  const sources: FileSource[] = [];
  const open: OpenPackFile = async (path) => {
    const below = path.replace(/^\/CREEL\//, "");
    for (const place of [join(folder, "CREEL", below), join(folder, below)]) {
      const source = await FileSource.open(place).catch(() => null);
      if (!source) continue;
      sources.push(source);
      return source;
    }
    return null;
  };
  try {
    const reading = await readPack(open);
    if (!reading.ok) return packProblemText(reading.problem);
    return { pack: reading.pack, options: { read: null, isWhole: null } };
  } finally {
    for (const source of sources) await source.close();
  }
}

function onMedium(file: string, wantsAll: boolean): Promise<Reading> {
  return withFile(file, async (source): Promise<Reading> => {
    const medium = new CachedSource(source);
    const open = await findPack(medium);
    if (!open) return packProblemText({ code: "no-pack" });
    const reading = await readPack(open);
    if (!reading.ok) return packProblemText(reading.problem);
    const { pack } = reading;
    const { inspection } = await inspect(medium, { name: source.name });
    const manifest = wantsAll ? pack.release?.manifest : null;
    if (!manifest) return { pack, options: { read: inspection, isWhole: null } };
    const held = pack.head.medium.lacksSystemFiles ? manifestWithoutSystemFiles(manifest) : manifest;
    const { result } = await verifyAgainst(source, held, { make: nativeHasher });
    const isSame = result === "same" || result === "same-files";
    // The manifest is the first release's: of others beside it nothing is said by that.
    const isWhole = isSame && pack.head.beside.length > 0 ? null : isSame;
    return { pack, options: { read: inspection, isWhole } };
  });
}
