import { execFileSync } from "node:child_process";
import {
  closeSync,
  copyFileSync,
  existsSync,
  mkdirSync,
  openSync,
  readdirSync,
  readFileSync,
  statSync,
  truncateSync,
  utimesSync,
  writeFileSync,
  writeSync,
} from "node:fs";
import { join } from "node:path";

/** What is made is made as of this second, so that the same medium has the same bytes. 2026-01-01 in UTC. */
const MADE_AT_SECONDS = 1767225600;
const MADE_AT = new Date(MADE_AT_SECONDS * 1000);

/** Tools that write the time of day into what they make. */
const WRITES_TIME = new Set(
  "mkfs.fat mkfs.exfat mmd mcopy syslinux xorriso genisoimage grub-mkrescue grub-mkstandalone mksquashfs sbsign osslsigncode wimcapture wimlib-imagex".split(
    " ",
  ),
);

/** Tools that sleep a second or a quarter of one after they wrote a table, so that a kernel could follow. */
const SLEEPS = new Set(["sgdisk", "sfdisk", "parted"]);

/** Debian's libeatmydata, with which nothing waits for the disk, and libfaketime; where they are not installed, none. */
function preloaded(command: string): Record<string, string> {
  const library = (path: string) =>
    ["x86_64-linux-gnu", "aarch64-linux-gnu"]
      .map((arch) => `/usr/lib/${arch}/${path}`)
      .find((each) => existsSync(each));
  const [calm, clock] = [library("libeatmydata.so"), library("faketime/libfaketime.so.1")];
  const time = WRITES_TIME.has(command) ? "2026-01-01 00:00:00" : SLEEPS.has(command) ? "+0 x1000" : null;
  const isTimed = clock !== undefined && time !== null;
  const libraries = [calm, isTimed ? clock : undefined].filter((each) => each !== undefined);
  return {
    ...(libraries.length > 0 ? { LD_PRELOAD: libraries.join(":") } : {}),
    ...(isTimed ? { FAKETIME: time, NO_FAKE_STAT: "1", FAKETIME_DONT_FAKE_MONOTONIC: "1" } : {}),
  };
}

/** Runs a reference tool; its output, or an error that carries what it printed. */
export function run(command: string, args: string[], options: { input?: string; cwd?: string } = {}): string {
  try {
    return execFileSync(command, args, {
      encoding: "utf8",
      stdio: ["pipe", "pipe", "pipe"],
      env: {
        ...process.env,
        PATH: `${process.env.PATH}:/usr/sbin:/sbin`,
        MTOOLS_SKIP_CHECK: "1",
        TZ: "UTC",
        SOURCE_DATE_EPOCH: String(MADE_AT_SECONDS),
        ...preloaded(command),
      },
      ...options,
    });
  } catch (error) {
    const { stderr, stdout } = error as { stderr?: string; stdout?: string };
    throw new Error(`${command} ${args.join(" ")}: ${stderr || stdout || error}`);
  }
}

/** What a witness prints to the serial port once it runs. */
export const MARKER = "CREEL-STARTED";
const GRUB_CONFIG = `serial --unit=0 --speed=115200\nterminal_output serial\necho ${MARKER}\nhalt\n`;
const GRUB_MODULES = ["serial", "terminal", "echo", "halt", "part_msdos", "part_gpt", "fat", "iso9660"];

export function fixedGuid(number: number): string {
  return `4352454c-0000-4000-8000-${String(number).padStart(12, "0")}`;
}

/** Files and folders as of the one second that media are made at. */
function setTimes(path: string): void {
  if (statSync(path).isDirectory()) for (const name of readdirSync(path)) setTimes(join(path, name));
  utimesSync(path, MADE_AT, MADE_AT);
}

/** Builds media in one folder; programs are made once. Sizes in MiB, offsets in bytes. */
export class Workshop {
  constructor(readonly folder: string) {
    mkdirSync(folder, { recursive: true });
  }

  path(name: string): string {
    return join(this.folder, name);
  }

  /** A file of zeros, sparse. */
  blank(name: string, sizeMiB: number): string {
    const file = this.path(name);
    writeFileSync(file, "");
    truncateSync(file, Math.round(sizeMiB * 1048576));
    return file;
  }

  text(name: string, content: string): string {
    writeFileSync(this.path(name), content);
    return this.path(name);
  }

  /** GRUB as a UEFI program that prints the marker. */
  efi(arch: "x64" | "ia32"): string {
    return this.grub(arch === "x64" ? "x86_64-efi" : "i386-efi", `witness-${arch}.efi`, []);
  }

  /** GRUB's BIOS core that prints the marker. */
  grubCore(): string {
    return this.grub("i386-pc", "core.img", ["biosdisk"]);
  }

  grubDisc(): string {
    return this.grub("i386-pc-eltorito", "eltorito.img", ["biosdisk"]);
  }

  private grub(format: string, name: string, modules: string[]): string {
    const file = this.path(name);
    if (!existsSync(file)) {
      const config = this.text("witness.cfg", GRUB_CONFIG);
      run("grub-mkimage", ["-O", format, "-o", file, "-p", "/", "-c", config, ...modules, ...GRUB_MODULES]);
    }
    return file;
  }

  /** A FAT volume with files at their paths. `bits` 12, 16 or 32. */
  fat(name: string, sizeMiB: number, bits: number, files: Record<string, string>, options: string[] = []): string {
    const file = this.blank(name, sizeMiB);
    run("mkfs.fat", ["--invariant", "-F", String(bits), "-n", "KIT", ...options, file]);
    const made = new Set<string>();
    for (const [path, from] of Object.entries(files)) {
      const parts = path.split("/").filter(Boolean);
      for (let i = 1; i < parts.length; i++) {
        const folder = `::/${parts.slice(0, i).join("/")}`;
        if (!made.has(folder.toUpperCase())) run("mmd", ["-D", "s", "-i", file, folder]);
        made.add(folder.toUpperCase());
      }
      run("mcopy", ["-o", "-i", file, from, `::/${parts.join("/")}`]);
    }
    return file;
  }

  /** Copies a file's bytes into an image. */
  put(image: string, offset: number, from: string | Uint8Array): void {
    const bytes = typeof from === "string" ? readFileSync(from) : from;
    const handle = openSync(image, "r+");
    writeSync(handle, bytes, 0, bytes.length, offset);
    closeSync(handle);
  }

  bytes(image: string): Buffer {
    return readFileSync(image);
  }

  /** A disk image with a GPT from sgdisk; `parts` maps partition numbers to volumes put there. */
  gpt(name: string, sizeMiB: number, sgdisk: string[], parts: Record<number, string> = {}): string {
    const file = this.blank(name, sizeMiB);
    // Numbers of its own for the disk and each partition, or sgdisk rolls dice for them.
    const numbers = sgdisk.flatMap((option, at) => (option === "-n" ? [Number(sgdisk[at + 1]?.split(":")[0])] : []));
    const fixed = numbers.filter((number) => number > 0).flatMap((number) => ["-u", `${number}:${fixedGuid(number)}`]);
    run("sgdisk", ["-U", fixedGuid(0), ...sgdisk, ...fixed, file]);
    for (const [number, volume] of Object.entries(parts)) this.put(file, this.gptStart(file, Number(number)), volume);
    return file;
  }

  private gptStart(file: string, number: number): number {
    const line = run("sgdisk", ["-i", String(number), file]).match(/First sector: (\d+)/);
    return Number(line?.[1]) * 512;
  }

  /** A disk image with an MBR from sfdisk; `parts` maps byte offsets to volumes put there. */
  mbr(name: string, sizeMiB: number, script: string, parts: Record<number, string> = {}): string {
    const file = this.blank(name, sizeMiB);
    run("sfdisk", ["-q", file], { input: `label: dos\nlabel-id: 0x4352454c\n${script}\n` });
    for (const [offset, volume] of Object.entries(parts)) this.put(file, Number(offset), volume);
    return file;
  }

  /** A disc image by xorriso from files at their paths. */
  iso(name: string, files: Record<string, string>, options: string[]): string {
    const tree = this.path(`${name}.tree`);
    run("rm", ["-rf", tree]);
    mkdirSync(tree);
    for (const [path, from] of Object.entries(files)) {
      const to = join(tree, path);
      mkdirSync(join(to, ".."), { recursive: true });
      copyFileSync(from, to);
    }
    setTimes(tree);
    const file = this.path(name);
    run("xorriso", [
      "-as",
      "mkisofs",
      "-quiet",
      ...(options.includes("-V") ? [] : ["-V", "KIT"]),
      "-J",
      "-R",
      "-o",
      file,
      ...options,
      tree,
    ]);
    return file;
  }

  /** A copy of an image under another name, for damaging. */
  copy(from: string, name: string): string {
    run("cp", ["--sparse=always", from, this.path(name)]);
    return this.path(name);
  }

  truncate(file: string, bytes: number): void {
    truncateSync(file, bytes);
  }
}
