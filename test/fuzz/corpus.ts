import { mkdirSync, readdirSync, readFileSync, symlinkSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { STORAGE_INF } from "../../scripts/demo/drivers";
import { IMAGES } from "../../scripts/demo/images";
import { run, type Workshop } from "../../scripts/media/workshop";
import { fillExfat } from "../support/exfat";
import { hive } from "../support/hive";

/** One small sound thing of every format, made by its own tool, for damaging. */
export interface Seed {
  name: string;
  bytes: Uint8Array;
}

export function makeCorpus(w: Workshop): Seed[] {
  const tree = w.path("fuzz-tree");
  mkdirSync(join(tree, "EFI/BOOT"), { recursive: true });
  mkdirSync(join(tree, "lib/modules/6.1.0"), { recursive: true });
  mkdirSync(join(tree, "a/b/c/d/e"), { recursive: true });
  writeFileSync(join(tree, "EFI/BOOT/BOOTX64.EFI"), readFileSync(w.efi("x64")).subarray(0, 60_000));
  writeFileSync(
    join(tree, "lib/modules/6.1.0/modules.alias"),
    "alias pci:v00001AF4d*sv*sd*bc*sc*i* virtio_pci\n".repeat(40),
  );
  writeFileSync(join(tree, "a/b/c/d/e/deep name with some length.txt"), "deep".repeat(3000));
  writeFileSync(join(tree, "drive.inf"), STORAGE_INF);
  symlinkSync("a/b", join(tree, "by-link"));
  for (let i = 0; i < 40; i++) writeFileSync(join(tree, `a/file number ${i}.dat`), "x".repeat(i * 97));
  const at = (name: string) => w.path(name);
  const shell = (command: string) => run("sh", ["-c", `cd ${w.folder} && ${command}`]);
  shell("(cd fuzz-tree && find . | sort | cpio -o -H newc --quiet) > fuzz.cpio");
  for (const [name, command] of [
    ["fuzz.gz", "gzip -9 -n -c fuzz.cpio"],
    ["fuzz.xz", "xz -c --check=crc32 fuzz.cpio"],
    ["fuzz.zst", "zstd -q -19 -c fuzz.cpio"],
    ["fuzz.lz4", "lz4 -q -l -c fuzz.cpio"],
  ])
    shell(`${command} > ${name}`);
  const initrd = (name: string) => w.iso(`${name}.iso`, { "boot/initrd.img": at(name) }, []);
  const ext = (kind: string, options: string[]) => {
    const image = w.blank(`fuzz-${options.length}.${kind}`, 2);
    run("mke2fs", ["-q", "-t", kind, "-b", "1024", ...options, "-d", tree, image]);
    return image;
  };
  const squashed = (compressor: string) => {
    run("mksquashfs", [
      tree,
      at(`fuzz.${compressor}.squashfs`),
      "-noappend",
      "-quiet",
      "-no-progress",
      "-comp",
      compressor,
    ]);
    return at(`fuzz.${compressor}.squashfs`);
  };
  run("wimcapture", [tree, at("fuzz.wim"), "Fuzz", "--check", "--quiet"]);
  run("wimcapture", [tree, at("fuzz.esd"), "Fuzz", "--solid", "--quiet"]);
  run("wimcapture", [tree, at("fuzz.piped.wim"), "Fuzz", "--pipable", "--quiet"]);
  run("mkfs.btrfs", ["-q", "-M", "-n", "4096", "--rootdir", tree, w.blank("fuzz.btrfs", 24)]);
  const erofs = (name: string, options: string[]) => {
    run("mkfs.erofs", ["-d0", ...options, w.blank(name, 0), tree]);
    return at(name);
  };
  hive(
    w,
    "fuzz.bcd",
    String.raw`
[HKEY\Objects\{9dea862c-5cdd-4e70-acc1-f32b344d4795}\Elements\23000003]
"Element"="{7619dcc9-fafe-11d9-b411-000476eba25f}"

[HKEY\Objects\{7619dcc9-fafe-11d9-b411-000476eba25f}\Elements\11000001]
"Element"=hex:03,00,00,00,5c,00,61,00,2e,00,77,00,69,00,6d,00,00,00
`,
  );
  const ntfs = w.blank("fuzz.ntfs", 4);
  run("mkntfs", ["-F", "-q", ntfs]);
  run("wimapply", [at("fuzz.wim"), "1", ntfs, "--quiet"]);
  const exfat = w.blank("fuzz.exfat", 6);
  run("mkfs.exfat", [exfat]);
  fillExfat(exfat, {
    "one.bin": readFileSync(at("fuzz.cpio")),
    sub: { "two.txt": Buffer.from("two"), deeper: { "three.inf": Buffer.from(STORAGE_INF) } },
  });
  run("genisoimage", ["-quiet", "-udf", "-J", "-R", "-o", at("fuzz.udf.iso"), tree]);
  const fat = w.fat(
    "fuzz.fat",
    2,
    12,
    Object.fromEntries(
      readdirSync(join(tree, "a"))
        .slice(0, 12)
        .filter((name) => name.endsWith(".dat"))
        .map((name) => [`A folder/${name}`, join(tree, "a", name)]),
    ),
  );
  shell(
    "openssl req -x509 -newkey rsa:2048 -nodes -days 3650 -subj '/CN=Fuzz' -keyout fuzz.key -out fuzz.pem && cert-to-efi-sig-list fuzz.pem fuzz.esl && sign-efi-sig-list -k fuzz.key -c fuzz.pem db fuzz.esl fuzz.auth",
  );
  run("sbsign", ["--key", at("fuzz.key"), "--cert", at("fuzz.pem"), "--output", at("fuzz.efi"), w.efi("x64")]);
  const files: Record<string, string> = {
    "GPT with FAT and exFAT": IMAGES.lantern12.make(w),
    "hybrid disc": IMAGES.bollard5.make(w),
    "disc with UDF": at("fuzz.udf.iso"),
    fat,
    exfat,
    ntfs,
    ext2: ext("ext2", []),
    ext4: ext("ext4", ["-O", "inline_data", "-I", "256"]),
    "squashfs gzip": squashed("gzip"),
    "squashfs xz": squashed("xz"),
    "squashfs zstd": squashed("zstd"),
    "squashfs lz4": squashed("lz4"),
    "squashfs lzo": squashed("lzo"),
    btrfs: at("fuzz.btrfs"),
    erofs: erofs("fuzz.erofs", []),
    "erofs lz4": erofs("fuzz.lz4.erofs", ["-zlz4hc", "-C16384", "-Efragments"]),
    wim: at("fuzz.wim"),
    "wim packed as one": at("fuzz.esd"),
    "wim for a pipe": at("fuzz.piped.wim"),
    "boot store": at("fuzz.bcd"),
    "boot manager": w.fat(
      "fuzz.manager",
      4,
      12,
      {
        "EFI/BOOT/BOOTX64.EFI": "/usr/lib/systemd/boot/efi/systemd-bootx64.efi",
        "EFI/BOOT/BOOTIA32.EFI": "/usr/lib/shim/fbx64.efi.signed",
        "loader/entries/a.conf": w.text("fuzz.conf", "title A\nsort-key a\nefi /kit/a.efi\n"),
        "kit/a.efi": "/usr/lib/systemd/boot/efi/linuxx64.efi.stub",
        "EFI/kit/BOOT.CSV": w.text("fuzz.csv", "a.efi,A\n"),
      },
      ["-s", "16"],
    ),
    "initrd plain": initrd("fuzz.cpio"),
    "initrd gzip": initrd("fuzz.gz"),
    "initrd xz": initrd("fuzz.xz"),
    "initrd zstd": initrd("fuzz.zst"),
    "initrd lz4": initrd("fuzz.lz4"),
    "signed program": at("fuzz.efi"),
    "signature list": at("fuzz.esl"),
    "authenticated update": at("fuzz.auth"),
    "driver information": w.text("fuzz.inf", STORAGE_INF),
    "published sums": w.text("SUMS", `${"ab".repeat(32)}  one.iso\nSHA256 (two.iso) = ${"cd".repeat(32)}\n`),
  };
  return Object.entries(files).map(([name, file]) => ({ name, bytes: new Uint8Array(readFileSync(file)) }));
}
