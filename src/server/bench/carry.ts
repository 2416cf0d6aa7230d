import { readdir, stat } from "node:fs/promises";
import { join } from "node:path";
import { carriedDriver, type World } from "@/core/fleet/world";
import { openPath, walk } from "@/core/formats/file-tree";
import type { FileToWrite } from "@/core/formats/tree-writing";
import type { ReleasePart } from "@/core/judging/model/parts";
import type { Route } from "@/core/judging/routes/routes";
import { type ByteSource, CachedSource } from "@/core/kernel/source";
import type { Carry } from "@/core/making/jobs/job";
import type { Carried } from "@/core/making/planning/plan";
import { volumesOf } from "@/core/medium/volumes/volumes";
import type { Refusal } from "@/core/problems/problem";
import type { Context } from "../context";
import { FileSource } from "../host/file-source";
import { carryFolder } from "../host/folders";
import { ok, type Result, refused } from "../problems";
import { releaseFile } from "./library";

/** A file that can be put beside a release: an image, a tool, whatever somebody laid there. */
export interface CarriableFile {
  name: string;
  bytes: number;
}

/** What lies in the library to be carried along. */
export async function carriableFiles(): Promise<CarriableFile[]> {
  const names = await readdir(carryFolder()).catch(() => [] as string[]);
  const files = await Promise.all(
    names.sort().map(async (name): Promise<CarriableFile[]> => {
      const found = await stat(join(carryFolder(), name)).catch(() => null);
      return found?.isFile() ? [{ name, bytes: found.size }] : [];
    }),
  );
  return files.flat();
}

/** Drivers that computers need and that a release lacks, as other releases carry them: each once. */
export function driversToCarry(
  world: World,
  parts: ReadonlyMap<number, ReleasePart>,
  release: ReleasePart,
  routes: readonly { computer: World["computers"][number]; route: Route }[],
): Extract<Carry, { kind: "driver" }>[] {
  const idOf = new Map([...parts].map(([id, { name }]) => [name, id]));
  const found = new Map<string, Extract<Carry, { kind: "driver" }>>();
  for (const { computer, route } of routes) {
    if (!route.links.sees.changes.some(({ setting }) => setting === "driver")) continue;
    for (const { modalias } of computer.facts.devices ?? []) {
      if ((release.drivers?.claimants(modalias).length ?? 0) > 0) continue;
      const driver = carriedDriver(world, modalias, release);
      const releaseId = driver && idOf.get(driver.release);
      // What lies inside an archive is not taken out of it.
      if (!driver?.path.startsWith("/") || releaseId == null) continue;
      found.set(`${releaseId} ${driver.path}`, { kind: "driver", releaseId, path: driver.path });
    }
  }
  return [...found.values()].sort((a, b) => a.releaseId - b.releaseId || a.path.localeCompare(b.path));
}

/** What is carried, open for as long as a plan with it is used. */
export interface OpenCarried extends Carried {
  close: () => Promise<void>;
}

/** Opens what is to be carried along. Problems: `invalid`, where something of it is not there any more. */
export async function openCarried(context: Context, carry: readonly Carry[]): Promise<Result<OpenCarried>> {
  const sources: FileSource[] = [];
  const close = async () => {
    for (const source of sources) await source.close();
  };
  const carried: Carried = { start: [], store: [] };
  const missing = async (why: Refusal) => {
    await close();
    return refused<OpenCarried>(why);
  };
  const library = new Map((await carriableFiles()).map((file) => [file.name, file]));
  for (const wish of carry) {
    if (wish.kind === "file") {
      if (!library.has(wish.name)) return missing({ code: "carried-missing", file: wish.name });
      const source = await FileSource.open(join(carryFolder(), wish.name));
      sources.push(source);
      carried.store.push({ path: `/CREEL/carried/${wish.name}`, content: source, modified: null });
      continue;
    }
    const file = await releaseFile(context, wish.releaseId);
    if ("missing" in file) return missing({ code: "carried-release-missing", file: file.missing });
    const source = await FileSource.open(file.file.path);
    sources.push(source);
    const driverTree = await driverFolder(source, wish);
    if (!driverTree) return missing({ code: "carried-not-on-release", path: wish.path, release: file.file.name });
    carried.start.push(...driverTree);
  }
  return ok({ ...carried, close });
}

/** The folder that an .inf file lies in, with what it names beside itself. */
async function driverFolder(
  release: ByteSource,
  { releaseId, path }: Extract<Carry, { kind: "driver" }>,
): Promise<FileToWrite[] | null> {
  const folder = path.slice(0, path.lastIndexOf("/"));
  for (const { tree } of await volumesOf(new CachedSource(release))) {
    if (!(await openPath(tree, path))) continue;
    const files: FileToWrite[] = [];
    for await (const found of walk(tree)) {
      if (found.entry.directory || !found.path.startsWith(`${folder}/`)) continue;
      const content = await tree.open(found.entry);
      const name = found.path.slice(folder.lastIndexOf("/") + 1);
      if (content) files.push({ path: `/CREEL/drivers/${releaseId}/${name}`, content, modified: found.entry.modified });
    }
    return files;
  }
  return null;
}
