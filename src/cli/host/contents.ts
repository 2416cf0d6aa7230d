import { createHash, type Hash } from "node:crypto";
import { createReadStream } from "node:fs";
import { mkdir, open, readdir, rename, rm, stat, statfs, utimes } from "node:fs/promises";
import { join } from "node:path";
import { setTimeout as sleep } from "node:timers/promises";
import { FileSource } from "@/server/host/file-source";
import { type CreelServer, ServerUnreached } from "../server/client";

/** What arrived is not what its digest says; or there is no room for it. */
export class ContentRefused extends Error {}

const PAUSE_MS = 1000;
/** So long a connection may be gone before whoever waits gives up, for now. */
const PATIENCE_MS = 60_000;
/** The disk is never filled to its end. */
const LEFT_BYTES = 64 << 20;

/** Where a file comes from, and what it must be. */
export interface Wanted {
  /** Below /api/v1. */
  path: string;
  sha256: string;
  bytes: number;
}

/** Files by their SHA-256, fetched once and kept; what was fetched in part goes on from there. */
export class Contents {
  private readonly fetching = new Map<string, Promise<void>>();
  private readonly used = new Map<string, number>();
  constructor(
    private readonly server: CreelServer,
    private readonly folder: string,
  ) {}

  /** Opens a file, fetched where it is not here yet. `onBytes`: how much of it is here; what it throws ends the fetching. */
  async open(wanted: Wanted, onBytes: (bytes: number) => void): Promise<FileSource> {
    const path = join(this.folder, wanted.sha256);
    this.used.set(wanted.sha256, (this.used.get(wanted.sha256) ?? 0) + 1);
    try {
      const other = this.fetching.get(wanted.sha256);
      if (other) await other.catch(() => {});
      const isHere = (await stat(path).catch(() => null))?.size === wanted.bytes;
      if (!isHere) {
        const fetching = this.fetch(wanted, path, onBytes);
        this.fetching.set(wanted.sha256, fetching);
        await fetching.finally(() => this.fetching.delete(wanted.sha256));
      }
      onBytes(wanted.bytes);
      await utimes(path, new Date(), new Date());
      return await FileSource.open(path);
    } finally {
      this.used.set(wanted.sha256, (this.used.get(wanted.sha256) ?? 1) - 1);
    }
  }

  private async fetch(wanted: Wanted, path: string, onBytes: (bytes: number) => void): Promise<void> {
    await mkdir(this.folder, { recursive: true, mode: 0o700 });
    const part = `${path}.part`;
    let hash = createHash("sha256");
    let have = await hashed(hash, part, wanted.bytes);
    if (have === null) {
      await rm(part, { force: true });
      hash = createHash("sha256");
      have = 0;
    }
    await this.makeRoom(wanted.bytes - have, wanted.sha256);
    const file = await open(part, "a", 0o600);
    try {
      for (let goneSince: number | null = null; have < wanted.bytes; ) {
        try {
          const { isWhole, body } = await this.server.bytesFrom(wanted.path, have);
          if (isWhole && have > 0)
            throw new ContentRefused("The release could not be resumed where it broke off. Start again.");
          for await (const chunk of body) {
            if (have + chunk.length > wanted.bytes)
              throw new ContentRefused("More arrived than the release's file has. Start again.");
            await file.write(chunk);
            hash.update(chunk);
            have += chunk.length;
            goneSince = null;
            onBytes(have);
          }
        } catch (error) {
          if (!(error instanceof ServerUnreached)) throw error;
          goneSince ??= performance.now();
          if (performance.now() - goneSince > PATIENCE_MS) throw error;
          onBytes(have);
          await sleep(PAUSE_MS);
        }
      }
      await file.datasync();
    } finally {
      await file.close();
    }
    if (hash.digest("hex") !== wanted.sha256) {
      await rm(part, { force: true });
      throw new ContentRefused(
        "The release did not arrive intact at the bench host: its SHA-256 differs. Start again.",
      );
    }
    await rename(part, path);
  }

  /** Removes what was used longest ago, until so much more fits. */
  private async makeRoom(bytes: number, but: string): Promise<void> {
    const isRoom = async () => {
      const { bavail, bsize } = await statfs(this.folder);
      return bavail * bsize >= bytes + LEFT_BYTES;
    };
    if (await isRoom()) return;
    const names = (await readdir(this.folder)).filter((name) => !name.startsWith(but));
    const files = await Promise.all(
      names.map(async (name) => ({ name, at: (await stat(join(this.folder, name))).mtimeMs })),
    );
    for (const { name } of files.sort((a, b) => a.at - b.at)) {
      if ((this.used.get(name.replace(/\.part$/, "")) ?? 0) > 0) continue;
      await rm(join(this.folder, name), { force: true });
      if (await isRoom()) return;
    }
    throw new ContentRefused(
      `The bench host has no room for the release in ${this.folder}. Free some space there, then start again.`,
    );
  }
}

/** Takes what is here of a file into a digest, and gives how much that is; null where it is more than there should be. */
async function hashed(hash: Hash, path: string, most: number): Promise<number | null> {
  const size = (await stat(path).catch(() => null))?.size ?? 0;
  if (size > most) return null;
  if (size > 0) for await (const chunk of createReadStream(path)) hash.update(chunk as Buffer);
  return size;
}
