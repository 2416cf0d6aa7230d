import { once } from "node:events";
import { findEntry, type Walked, walk } from "@/core/formats/file-tree";
import { type ByteSource, CachedSource } from "@/core/kernel/source";
import { readTables } from "@/core/medium/tables/tables";
import { volumesInside } from "@/core/medium/volumes/unpacked";
import { listed, type Volume } from "@/core/medium/volumes/volumes";
import { findThrough, within } from "@/core/medium/volumes/within";
import { fileSystemText } from "@/core/words/firmware";
import { bytesText } from "@/core/words/sizes";
import { unreadableText, volumeText } from "@/core/words/trees";
import { visible } from "@/core/words/visible";
import { UsageError, withParts } from "./problems";

/** A name may be 64 KB long: in a terminal its ends are enough. */
const NAME_SHOWN = 500;

export function runLs(file: string, path: string | undefined, options: { json?: boolean }): Promise<void> {
  return withParts(file, async (source, others) => {
    const volumes = await openVolumes(file, source, others);
    const out = new Lines();
    let found = false;
    for (const volume of volumes) {
      const from = path === undefined ? null : await findFrom(volume, path);
      if (path !== undefined && (from === undefined || isInto(path, from))) {
        found = (await listWithin(volume, path, options, out)) || found;
        continue;
      }
      if (from === undefined) continue;
      found = true;
      if (!options.json)
        await out.line(
          `${volumeText(volume.id)}, ${fileSystemText(volume.kind)}${volume.tree.label ? `, "${visible(volume.tree.label)}"` : ""}`,
        );
      if (volume.tree.unread)
        process.stderr.write(`creel: ${visible(file)}: ${volumeText(volume.id)} is ${volume.tree.unread}\n`);
      if (from) await out.line(lineOf(volume, from, options.json));
      if (from && !from.entry.directory) continue;
      const cut: string[] = [];
      const onCut = (why: string, where: string) => cut.push(`${visible(where)}: ${why}`);
      for await (const walked of walk(volume.tree, from, { onCut }))
        await out.line(lineOf(volume, walked, options.json));
      for (const folder of cut.slice(0, 20)) process.stderr.write(`creel: not listed further at ${folder}\n`);
    }
    if (path === undefined) for (const line of await notRead(source, volumes, options.json)) await out.line(line);
    await out.end();
    if (!found) throw new UsageError(`${visible(file)}: there is no ${visible(path ?? "")} on it`);
  });
}

/** A path that ends with a division sign goes into a file. */
const isInto = (path: string, from: Walked | null | undefined) => path.endsWith("/") && from?.entry.directory === false;

/** What is in a file that holds files itself, with paths from the volume on; false where there is no such thing. */
async function listWithin(volume: Volume, path: string, options: { json?: boolean }, out: Lines): Promise<boolean> {
  let isFound = false;
  for (const { tree, prefix, rest } of await within(volume.tree, path)) {
    const from = await findFrom({ ...volume, tree }, rest);
    if (from === undefined) continue;
    isFound = true;
    if (!options.json) await out.line(`${visible(prefix, NAME_SHOWN)} in ${volumeText(volume.id)}`);
    const line = (walked: Walked) =>
      out.line(lineOf(volume, { ...walked, path: `${prefix}${walked.path}` }, options.json));
    if (from) await line(from);
    if (from && !from.entry.directory) continue;
    const onCut = (why: string, where: string) => {
      process.stderr.write(`creel: not listed further at ${visible(where)}: ${why}\n`);
    };
    for await (const walked of walk(tree, from, { onCut })) await line(walked);
  }
  return isFound;
}

/** Partitions whose file system is recognised and not read, or damaged at its root: a line each. */
async function notRead(source: ByteSource, volumes: Volume[], json: boolean | undefined): Promise<string[]> {
  const isDisc = volumes.some(({ id }) => id === "iso9660");
  const { partitions } = await readTables(new CachedSource(source), isDisc);
  return partitions
    .filter(({ filesystem, start, length }) => {
      const isRead = volumes.some((volume) => volume.start >= start && volume.start < start + length);
      return filesystem !== null && !isRead;
    })
    .map(({ index, filesystem }) =>
      json
        ? JSON.stringify({ volume: index, path: "/", bytes: 0, dir: true, modified: null, unread: filesystem })
        : `${volumeText(index)}, ${fileSystemText(filesystem)}: not read`,
    );
}

/** Where to begin: null for the root, undefined where the volume has no such path. */
async function findFrom(volume: Volume, path: string): Promise<Walked | null | undefined> {
  const clean = path.split("/").filter((part) => part !== "" && part !== ".");
  if (clean.length === 0) return null;
  const entry = await findEntry(volume.tree, clean.join("/"));
  return entry ? { path: `/${clean.join("/")}`, entry } : undefined;
}

function lineOf(volume: Volume, walked: Walked, json: boolean | undefined): string {
  if (json) return JSON.stringify(listed(volume.id, walked));
  const { entry, path } = walked;
  const size = entry.directory ? "" : bytesText(entry.sizeBytes);
  const time = entry.modified?.slice(0, 16).replace("T", " ") ?? "";
  const link = entry.link === undefined ? "" : ` → ${visible(entry.link, NAME_SHOWN)}`;
  const note = entry.unreadable ? `  (${unreadableText(entry.unreadable)})` : "";
  return `${size.padStart(12)}  ${time.padEnd(16)}  ${visible(path, NAME_SHOWN)}${entry.directory ? "/" : ""}${link}${note}`;
}

const STEP_BYTES = 1 << 20;

export function runCat(file: string, path: string, options: { volume?: string }): Promise<void> {
  return withParts(file, async (source, others) => {
    const volumes = (await openVolumes(file, source, others)).filter(
      ({ id }) => options.volume === undefined || String(id) === options.volume,
    );
    if (volumes.length === 0)
      throw new UsageError(`${visible(file)}: it has no volume ${visible(options.volume ?? "")}`);
    for (const volume of volumes) {
      const found = await findThrough(volume.tree, path);
      if (!found) continue;
      const { tree, entry } = found;
      const where = `${visible(path, NAME_SHOWN)} in ${volumeText(volume.id)}`;
      if (entry.directory) throw new UsageError(`${visible(file)}: ${where} is a folder; creel ls shows what is in it`);
      if (entry.unreadable) throw new UsageError(`${visible(file)}: ${where}: ${unreadableText(entry.unreadable)}`);
      const content = await tree.open(entry);
      const written = content ? await copyOut(content) : 0;
      if (!content || written < entry.sizeBytes)
        throw new UsageError(
          `${visible(file)}: ${where} is damaged: ${written} of ${entry.sizeBytes} bytes could be read`,
        );
      return;
    }
    throw new UsageError(`${visible(file)}: there is no ${visible(path, NAME_SHOWN)} on it`);
  });
}

async function copyOut(content: ByteSource): Promise<number> {
  let at = 0;
  while (at < content.sizeBytes) {
    const bytes = await content.read(at, STEP_BYTES);
    if (bytes.length === 0) break;
    at += bytes.length;
    if (!process.stdout.write(bytes)) await once(process.stdout, "drain");
  }
  return at;
}

async function openVolumes(file: string, source: ByteSource, others: readonly ByteSource[]): Promise<Volume[]> {
  const volumes = await volumesInside(source, others);
  if (volumes.length === 0) throw new UsageError(`${visible(file)}: no file system that Creel reads was found on it`);
  return volumes;
}

/** Standard output in large pieces: a tree may have a million lines. */
class Lines {
  private text = "";
  async line(line: string): Promise<void> {
    this.text += `${line}\n`;
    if (this.text.length > 64 * 1024) await this.end();
  }
  async end(): Promise<void> {
    const { text } = this;
    this.text = "";
    if (text && !process.stdout.write(text)) await once(process.stdout, "drain");
  }
}
