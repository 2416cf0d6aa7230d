// Builds the environment as a hybrid ISO: BIOS by GRUB, UEFI x64 and ia32 (x64 with Secure Boot by Debian's signed
// loaders), the same bytes for the same versions of packages.
import { execFileSync } from "node:child_process";
import { createHash } from "node:crypto";
import {
  chmodSync,
  copyFileSync,
  existsSync,
  lutimesSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  renameSync,
  rmSync,
  statSync,
  utimesSync,
  writeFileSync,
} from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { ROOT } from "../lib/install.mjs";
import { Problem } from "../lib/problem.mjs";
import { closureOf, FONTS, kernelPackage, LOADERS, TOOLS, unpackAll } from "./packages.mjs";
import { makeRoot } from "./root.mjs";

/** What is made is made as of this second: 2026-01-01 in UTC. */
const MADE_AT = 1767225600;
const LABEL = "CREEL_KIT";
const ENV = {
  ...process.env,
  TZ: "UTC",
  LC_ALL: "C",
  SOURCE_DATE_EPOCH: String(MADE_AT),
  MTOOLS_SKIP_CHECK: "1",
  PATH: `${process.env.PATH}:/usr/sbin:/sbin`,
};

function run(command, args, options = {}) {
  try {
    return execFileSync(command, args, {
      encoding: "utf8",
      maxBuffer: 2 ** 28,
      stdio: ["ignore", "pipe", "pipe"],
      env: ENV,
      ...options,
    });
  } catch (error) {
    throw new Problem(
      `${command} did not do its part of the environment: ${(error.stderr || error.message).trim().split("\n").at(-1)}`,
    );
  }
}

const MENU = `set timeout=3
set default=0
serial --unit=0 --speed=115200
terminal_input console serial
terminal_output console serial
menuentry "Creel: survey, save and restore this computer" {
  linux /creel/vmlinuz console=tty0 console=ttyS0,115200 quiet panic=-1
  initrd /creel/initrd
}
menuentry "Creel, with basic graphics" {
  linux /creel/vmlinuz console=tty0 console=ttyS0,115200 quiet nomodeset panic=-1
  initrd /creel/initrd
}
`;

/** Where the loaders look: Debian's own ones search for this file, and take their menu from beside it. */
const FOUND_BY = "/.disk/info";

async function bundleProgram(folder) {
  const { build } = await import("esbuild");
  await build({
    entryPoints: [join(ROOT, "src", "kit", "entry.ts")],
    outfile: join(folder, "kit.cjs"),
    bundle: true,
    minify: true,
    alias: { "@": join(ROOT, "src") },
    platform: "node",
    format: "cjs",
    target: "node18",
    logLevel: "error",
  });
  mkdirSync(join(folder, "src", "workers"), { recursive: true });
  copyFileSync(join(ROOT, "src", "workers", "blocks.worker.cjs"), join(folder, "src", "workers", "blocks.worker.cjs"));
  const zstd = join("node_modules", "@bokuweb", "zstd-wasm");
  for (const part of ["package.json", join("dist", "common")])
    run("sh", ["-c", `mkdir -p "$1" && cp -r "$0" "$1"`, join(ROOT, zstd, part), dirname(join(folder, zstd, part))]);
  copyFileSync(join(ROOT, "collect", "creel-collect.sh"), join(folder, "creel-collect.sh"));
  copyFileSync(join(ROOT, "scripts", "kit", "dhcp.sh"), join(folder, "dhcp.sh"));
  chmodSync(join(folder, "dhcp.sh"), 0o755);
}

const fileIn = (packages, path) => {
  const found = packages.map(({ folder }) => join(folder, path)).find((each) => existsSync(each));
  if (!found) throw new Problem(`None of the packages has ${path}.`);
  return found;
};

/** Everything gets one time, links and folders too, so that it does not tell when it was built. */
function datedAll(folder) {
  for (const name of readdirSync(folder, { recursive: true }))
    lutimesSync(join(folder, String(name)), MADE_AT, MADE_AT);
  lutimesSync(folder, MADE_AT, MADE_AT);
}

/** Builds it to `file`; gives its size, its SHA-256 and the list of what it is made of. */
export async function buildKit(file) {
  const kept = join(ROOT, ".creel", "kit", "packages");
  // First of all, since it sees to it that there are lists of packages.
  const [kernel] = unpackAll([kernelPackage()], kept);
  const tools = unpackAll(closureOf(TOOLS), kept);
  const fonts = unpackAll(FONTS, kept);
  const loaders = unpackAll(LOADERS, kept);
  const work = mkdtempSync(join(tmpdir(), "creel-kit-"));
  try {
    const program = join(work, "program");
    mkdirSync(program);
    await bundleProgram(program);
    const tree = join(work, "tree");
    const disc = join(work, "disc");
    for (const each of [tree, join(disc, "creel"), join(disc, ".disk"), join(disc, "boot", "grub", "i386-pc")])
      mkdirSync(each, { recursive: true });
    const release = makeRoot({
      packages: tools,
      fonts,
      kernel,
      program,
      init: readFileSync(join(ROOT, "scripts", "kit", "init.sh"), "utf8"),
      tree,
    });
    datedAll(tree);
    run("sh", [
      "-c",
      `cd "$0" && find . -print0 | LC_ALL=C sort -z | cpio -0 -o -H newc -R 0:0 --reproducible --quiet | zstd -q -10 -T2 -o "$1"`,
      tree,
      join(disc, "creel", "initrd"),
    ]);
    copyFileSync(fileIn([kernel], `boot/vmlinuz-${release}`), join(disc, "creel", "vmlinuz"));
    writeFileSync(join(disc, ".disk", "info"), "Creel\n");
    writeFileSync(join(disc, "boot", "grub", "grub.cfg"), MENU);
    const list = `${JSON.stringify(partsOf([...tools, ...fonts, ...loaders, kernel]), null, 2)}\n`;
    writeFileSync(join(disc, "creel", "parts.spdx.json"), list);
    biosLoader(loaders, join(disc, "boot", "grub", "i386-pc"), work);
    const esp = efiPartition(loaders, work);
    datedAll(disc);
    mkdirSync(dirname(file), { recursive: true });
    const made = `${file}.new`;
    rmSync(made, { force: true });
    run("xorriso", [
      ...[
        "-as",
        "mkisofs",
        "-o",
        made,
        "-V",
        LABEL,
        "-r",
        "-J",
        "-joliet-long",
        "--modification-date=2026010100000000",
      ],
      ...["-b", "boot/grub/i386-pc/eltorito.img", "-no-emul-boot", "-boot-load-size", "4", "-boot-info-table"],
      ...["--grub2-boot-info", "--grub2-mbr", fileIn(loaders, "usr/lib/grub/i386-pc/boot_hybrid.img")],
      ...["-partition_offset", "16", "-append_partition", "2", "0xef", esp, "-eltorito-alt-boot"],
      ...["-e", "--interval:appended_partition_2:all::", "-no-emul-boot", disc],
    ]);
    renameSync(made, file);
    const listFile = `${file.replace(/\.iso$/, "")}.spdx.json`;
    writeFileSync(listFile, list);
    const sha256 = createHash("sha256").update(readFileSync(file)).digest("hex");
    return { file, bytes: statSync(file).size, sha256, list: listFile };
  } finally {
    rmSync(work, { recursive: true, force: true });
  }
}

/** GRUB for BIOS: its core with what it needs to find the disc, and the rest beside it (GNU GRUB manual, grub-mkimage). */
function biosLoader(loaders, folder, work) {
  const from = dirname(fileIn(loaders, "usr/lib/grub/i386-pc/cdboot.img"));
  const early = join(work, "early.cfg");
  writeFileSync(early, `search --file --set=root ${FOUND_BY}\nset prefix=($root)/boot/grub\n`);
  const core = join(work, "core.img");
  const modules = [
    "biosdisk",
    "iso9660",
    "part_msdos",
    "part_gpt",
    "fat",
    "exfat",
    "search",
    "search_fs_file",
    "normal",
    "linux",
    "configfile",
    "serial",
    "terminal",
    "all_video",
    "echo",
  ];
  run("grub-mkimage", ["-O", "i386-pc", "-d", from, "-p", "/boot/grub", "-c", early, "-o", core, ...modules]);
  writeFileSync(
    join(folder, "eltorito.img"),
    Buffer.concat([readFileSync(join(from, "cdboot.img")), readFileSync(core)]),
  );
  for (const name of readdirSync(from).filter((each) => /\.(mod|lst)$/.test(each)))
    copyFileSync(join(from, name), join(folder, name));
}

/** The EFI system partition: Debian's signed shim and GRUB for x64, its GRUB for ia32. */
function efiPartition(loaders, work) {
  const image = join(work, "esp.img");
  const files = [
    ["BOOTX64.EFI", "usr/lib/shim/shimx64.efi.signed"],
    ["grubx64.efi", "usr/lib/grub/x86_64-efi-signed/gcdx64.efi.signed"],
    ["mmx64.efi", "usr/lib/shim/mmx64.efi.signed"],
    ["BOOTIA32.EFI", "usr/lib/grub/i386-efi/monolithic/gcdia32.efi"],
  ].flatMap(([name, path]) => {
    const found = loaders.map(({ folder }) => join(folder, path)).find((each) => existsSync(each));
    // The key manager is a package of its own, and not needed to start.
    if (!found && name !== "mmx64.efi") throw new Problem(`None of the packages has ${path}.`);
    return found ? [{ name, found }] : [];
  });
  const bytes = files.reduce((sum, { found }) => sum + statSync(found).size, 0);
  run("truncate", ["-s", String(Math.ceil((bytes + (1 << 20)) / (1 << 20)) * (1 << 20)), image]);
  run("mkfs.fat", ["-i", "43524545", "--invariant", image]);
  run("mmd", ["-i", image, "::/EFI", "::/EFI/BOOT"]);
  for (const { name, found } of files) {
    const copy = join(work, name);
    copyFileSync(found, copy);
    utimesSync(copy, MADE_AT, MADE_AT);
    run("mcopy", ["-m", "-i", image, copy, `::/EFI/BOOT/${name}`]);
  }
  return image;
}

/** What it is made of, as SPDX 2.3 has it. */
function partsOf(packages) {
  const unique = [...new Map(packages.map((each) => [each.name, each])).values()].sort((a, b) =>
    a.name < b.name ? -1 : 1,
  );
  return {
    spdxVersion: "SPDX-2.3",
    dataLicense: "CC0-1.0",
    SPDXID: "SPDXRef-DOCUMENT",
    name: "creel-kit",
    documentNamespace: `https://creel.invalid/kit/${createHash("sha256")
      .update(JSON.stringify(unique.map(({ name, version }) => [name, version])))
      .digest("hex")}`,
    creationInfo: { created: new Date(MADE_AT * 1000).toISOString().replace(".000", ""), creators: ["Tool: creel"] },
    packages: unique.map(({ name, version, licences }) => ({
      SPDXID: `SPDXRef-${name.replaceAll(/[^A-Za-z0-9.-]/g, "-")}`,
      name,
      versionInfo: version,
      downloadLocation: "NOASSERTION",
      filesAnalyzed: false,
      licenseConcluded: "NOASSERTION",
      licenseDeclared: "NOASSERTION",
      copyrightText: "NOASSERTION",
      ...(licences.length > 0
        ? { licenseComments: `As the package's copyright file names them: ${licences.join("; ")}` }
        : {}),
    })),
  };
}
