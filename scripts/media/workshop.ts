import { execFileSync } from "node:child_process";
import {
  closeSync,
  copyFileSync,
  existsSync,
  mkdirSync,
  openSync,
  readFileSync,
  truncateSync,
  writeFileSync,
  writeSync,
} from "node:fs";
import { join } from "node:path";

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
        SOURCE_DATE_EPOCH: "1767225600",
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
    run("mkfs.fat", ["-F", String(bits), "-n", "KIT", ...options, file]);
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
    run("sgdisk", [...sgdisk, file]);
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
    run("sfdisk", ["-q", file], { input: `label: dos\n${script}\n` });
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
