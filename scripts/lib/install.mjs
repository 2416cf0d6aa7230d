import { spawnSync } from "node:child_process";
import { existsSync, statSync } from "node:fs";
import { join } from "node:path";
import { Problem } from "./problem.mjs";

export const ROOT = join(import.meta.dirname, "..", "..");

/** Debian packages by what they are for. */
export const DEBIAN = {
  run: ["mariadb-server", "hwdata"],
  samples: [
    "mtools",
    "dosfstools",
    "gdisk",
    "fdisk",
    "xorriso",
    "grub-common",
    "grub-pc-bin",
    "grub-efi-amd64-bin",
    "grub-efi-ia32-bin",
    "isolinux",
    "syslinux",
    "syslinux-common",
    "exfatprogs",
    "distro-info-data",
    "squashfs-tools",
    "wimtools",
    "sbsigntool",
    "cpio",
    "openssl",
    "zstd",
  ],
  kit: ["xorriso", "mtools", "dosfstools", "grub-common", "cpio", "zstd", "binutils", "kmod"],
  test: [
    "chromium",
    "qemu-system-x86",
    "ovmf",
    "ovmf-ia32",
    "parted",
    "mbr",
    "genisoimage",
    "ntfs-3g",
    "e2fsprogs",
    "udftools",
    "binutils",
    "age",
    "nginx",
    "shim-signed",
    "shim-helpers-amd64-signed",
    "systemd-boot-efi",
    "extlinux",
    "memtest86+",
    "ipxe",
    "f2fs-tools",
    "erofs-utils",
    "jfsutils",
    "nilfs-tools",
    "reiserfsprogs",
    "apfsprogs",
    "lvm2",
    "libhivex-bin",
    "libwin-hivex-perl",
    "syslinux-utils",
    "syslinux-efi",
    "pciutils",
    "dmidecode",
    "efitools",
    "distro-info",
    "busybox",
    "xfsprogs",
    "btrfs-progs",
    "cryptsetup-bin",
    "dash",
    "osslsigncode",
    "poppler-utils",
    "pesign",
    "kmod",
    "linux-image-cloud-amd64",
    "initramfs-tools-core",
    "grub-efi-amd64-signed",
    "lz4",
    "xz-utils",
    "libeatmydata1",
    "libfaketime",
  ],
};

/** Installs the npm packages where they are missing or older than the lock file. */
export function installNpmPackages() {
  const done = join(ROOT, "node_modules", ".package-lock.json");
  const lock = join(ROOT, "package-lock.json");
  if (existsSync(done) && statSync(done).mtimeMs >= statSync(lock).mtimeMs) return;
  console.log("Installing the npm packages (once) …");
  const result = spawnSync("npm", ["ci", "--no-audit", "--no-fund", "--loglevel=error"], {
    cwd: ROOT,
    stdio: ["ignore", "ignore", "inherit"],
  });
  if (result.status !== 0)
    throw new Problem(
      "The npm packages could not be installed: npm ci failed. Check that the npm registry can be reached, then run this again.",
    );
}

/** Installs Debian packages where they are missing; without the rights it says what to install. */
export function installDebianPackages(wanted) {
  const missing = wanted.filter((name) => !isInstalled(name));
  if (missing.length === 0) return;
  const command = `apt-get install --no-install-recommends ${missing.join(" ")}`;
  if (spawnSync("apt-get", ["--version"]).error)
    throw new Problem(
      `These Debian packages are missing: ${missing.join(", ")}. Install what your system calls them, then run this again.`,
    );
  if (process.getuid?.() !== 0)
    throw new Problem(
      `These Debian packages are missing: ${missing.join(", ")}. Run "sudo ${command}", then run this again.`,
    );
  console.log(`Installing Debian packages (once): ${missing.join(", ")} …`);
  const env = { ...process.env, DEBIAN_FRONTEND: "noninteractive" };
  const install = () =>
    spawnSync("apt-get", ["install", "-y", "-qq", "--no-install-recommends", ...missing], { env, encoding: "utf8" });
  let result = install();
  if (result.status !== 0) {
    spawnSync("apt-get", ["update", "-qq"], { env });
    result = install();
  }
  if (result.status !== 0) {
    const reason = (result.stderr || result.stdout || "").trim().split("\n").at(-1);
    throw new Problem(
      `Debian packages could not be installed (${reason}). Run "${command}" yourself, then run this again.`,
    );
  }
}

function isInstalled(name) {
  const result = spawnSync("dpkg-query", ["-W", "-f", "${db:Status-Status}", name], { encoding: "utf8" });
  return result.status === 0 && result.stdout === "installed";
}
