import { execFile } from "node:child_process";
import { mkdtemp, readFile, rm, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { promisify } from "node:util";
import type { BiosStart } from "@/core/making/layout/bios-start";
import { START_CONFIG_PATH } from "@/core/making/planning/start-config";

const run = promisify(execFile);

const STAGES = "/usr/lib/grub/i386-pc";
const MODULES = [
  ...["biosdisk", "part_gpt", "part_msdos", "fat", "exfat", "iso9660", "search", "search_fs_file", "search_label"],
  ...["normal", "configfile", "linux", "linux16", "multiboot", "ntldr", "chain", "syslinuxcfg", "gzio", "loopback"],
  ...["echo", "test", "true", "regexp", "ls", "cat", "help", "halt", "reboot", "sleep", "loadenv", "all_video"],
  ...["font", "gfxterm", "png", "serial", "terminal", "keystatus"],
];

let found: Promise<BiosStart | null> | null = null;

/**
 * GRUB's BIOS stages, made once by its own tool from Debian's grub-pc-bin; null where that is not installed. The core
 * looks for the medium that holds Creel's start configuration and goes on with it.
 */
export function biosStart(): Promise<BiosStart | null> {
  found ??= made().catch(() => null);
  return found;
}

async function made(): Promise<BiosStart> {
  const folder = await mkdtemp(join(tmpdir(), "creel-bios-start-"));
  try {
    const [config, core] = [join(folder, "embedded.cfg"), join(folder, "core.img")];
    const place = START_CONFIG_PATH.slice(0, START_CONFIG_PATH.lastIndexOf("/"));
    await writeFile(config, `search.file ${START_CONFIG_PATH} root\nset prefix=($root)${place}\n`);
    await run("grub-mkimage", ["-O", "i386-pc", "-o", core, "-p", place, "-c", config, ...MODULES]);
    const [boot, image] = await Promise.all([readFile(join(STAGES, "boot.img")), readFile(core)]);
    return { boot: new Uint8Array(boot), core: new Uint8Array(image) };
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}
