// The first file system: BusyBox, Node with the bundle, tools with the libraries that they need, and the kernel's drivers.
import { execFileSync } from "node:child_process";
import {
  chmodSync,
  copyFileSync,
  existsSync,
  lstatSync,
  mkdirSync,
  readdirSync,
  readFileSync,
  realpathSync,
  statSync,
  symlinkSync,
  writeFileSync,
} from "node:fs";
import { basename, dirname, join } from "node:path";
import { gunzipSync } from "node:zlib";
import { Problem } from "../lib/problem.mjs";

/** Programs that are taken; BusyBox has the rest. */
const PROGRAMS = [
  ...["usr/bin/node", "usr/bin/ntfs-3g", "usr/sbin/ntfsresize", "usr/bin/ntfsfix", "sbin/e2fsck", "sbin/resize2fs"],
  ...[
    "sbin/fsck.fat",
    "usr/sbin/fsck.exfat",
    "bin/efibootmgr",
    "sbin/cryptsetup",
    "sbin/sfdisk",
    "bin/kmod",
    "bin/setfont",
    "sbin/debugfs",
  ],
];
/** Drivers: of storage, network, USB, keyboards and graphics, and the file systems that the tools mount. */
const DRIVERS = [
  ...["drivers/ata", "drivers/nvme", "drivers/scsi", "drivers/block", "drivers/usb", "drivers/hid", "drivers/mmc"],
  ...[
    "drivers/virtio",
    "drivers/input",
    "drivers/message",
    "drivers/cdrom",
    "drivers/pci",
    "drivers/md",
    "drivers/mfd",
  ],
  ...["drivers/net/ethernet", "drivers/net/usb", "drivers/net/phy", "drivers/net/mdio", "drivers/net/pcs"],
  ...[
    "drivers/net/virtio_net",
    "drivers/net/net_failover",
    "drivers/net/mii",
    "drivers/ptp",
    "drivers/pps",
    "drivers/nvdimm",
  ],
  ...[
    "drivers/gpu/drm/tiny",
    "drivers/gpu/drm/i915",
    "drivers/gpu/drm/virtio",
    "drivers/gpu/drm/drm",
    "drivers/gpu/drm/ttm",
  ],
  ...[
    "drivers/gpu/drm/bochs",
    "drivers/gpu/drm/mgag200",
    "drivers/gpu/drm/ast",
    "drivers/gpu/drm/display",
    "drivers/video",
  ],
  ...[
    "drivers/i2c",
    "drivers/thunderbolt",
    "drivers/firmware",
    "drivers/platform/x86/wmi",
    "drivers/acpi",
    "drivers/bus",
  ],
  ...[
    "drivers/phy",
    "drivers/extcon",
    "drivers/dca",
    "drivers/misc",
    "drivers/memstick",
    "drivers/ufs",
    "drivers/hwmon",
  ],
  ...[
    "fs/ext4",
    "fs/jbd2",
    "fs/mbcache",
    "fs/fat",
    "fs/exfat",
    "fs/isofs",
    "fs/nls",
    "fs/fuse",
    "fs/udf",
    "fs/efivarfs",
  ],
  ...["lib", "crypto", "arch/x86/crypto", "net/core/failover", "drivers/char"],
];

/** What tries the kernel itself, and what no computer that is mended has. */
const NOT_DRIVERS =
  /^lib\/test|selftest|torture|_test\.ko|drivers\/net\/ethernet\/(mellanox|netronome|cavium|chelsio|huawei|pensando)\//;

function find(packages, path) {
  // Debian 12 has /usr merged; packages still name both.
  const places = [path, join("usr", path), path.replace(/^usr\//, "")];
  for (const { folder } of packages)
    for (const place of places) {
      const full = join(folder, place);
      if (existsSync(full)) return full;
    }
  return null;
}

/** Shared libraries by their own names (`SONAME`), of all packages. */
function librariesOf(packages) {
  const found = new Map();
  const folders = ["lib/x86_64-linux-gnu", "usr/lib/x86_64-linux-gnu", "lib64", "usr/lib64", "lib", "usr/lib"];
  for (const { folder } of packages)
    for (const place of folders) {
      const full = join(folder, place);
      if (!existsSync(full)) continue;
      for (const name of readdirSync(full))
        if (/\.so(\.|$)/.test(name) && !found.has(name)) found.set(name, join(full, name));
    }
  return found;
}

const neededBy = (file) =>
  [...execFileSync("readelf", ["-d", file], { encoding: "utf8" }).matchAll(/\(NEEDED\).*\[(.+)\]/g)].map(
    ([, name]) => name,
  );

/** Copies programs and all that they are linked with. */
function copyPrograms(packages, tree) {
  const libraries = librariesOf(packages);
  const isIn = new Set();
  const addLibraries = (file) => {
    for (const name of neededBy(file)) {
      if (isIn.has(name)) continue;
      isIn.add(name);
      const library = libraries.get(name);
      if (!library) throw new Problem(`${basename(file)} needs ${name}, which none of the packages has.`);
      copyFileSync(realpathSync(library), join(tree, "lib", "x86_64-linux-gnu", name));
      addLibraries(realpathSync(library));
    }
  };
  for (const path of PROGRAMS) {
    const file = find(packages, path);
    if (!file) throw new Problem(`None of the packages has ${path}.`);
    const target = join(tree, "bin", basename(path));
    copyFileSync(realpathSync(file), target);
    chmodSync(target, 0o755);
    addLibraries(target);
  }
  // The loader of programs is where they were linked to look for it (ELF, PT_INTERP).
  const loader = libraries.get("ld-linux-x86-64.so.2");
  if (!loader) throw new Problem("The packages have no loader for programs.");
  mkdirSync(join(tree, "lib64"));
  copyFileSync(realpathSync(loader), join(tree, "lib64", "ld-linux-x86-64.so.2"));
  chmodSync(join(tree, "lib64", "ld-linux-x86-64.so.2"), 0o755);
  for (const name of ["modprobe", "insmod", "lsmod"]) symlinkSync("kmod", join(tree, "bin", name));
}

/** What the kernel calls the module in a file. */
export const moduleName = (file) =>
  basename(file)
    .replace(/\.ko(\.xz)?$/, "")
    .replaceAll("-", "_");

/** The modules that one depends on, by what it says itself (modinfo, `depends=`). */
export function dependsOf(file) {
  const depends = /(?:^|\0)depends=([^\0]*)\0/.exec(readFileSync(file, "latin1"))?.[1] ?? "";
  return depends.split(",").filter(Boolean).map(moduleName);
}

/** Copies drivers, and writes the lists by which they are found for devices. Gives the kernel's release. */
function copyDrivers(kernel, tree) {
  const [release] = readdirSync(join(kernel.folder, "lib", "modules"));
  const from = join(kernel.folder, "lib", "modules", release);
  const to = join(tree, "lib", "modules", release);
  mkdirSync(to, { recursive: true });
  const all = readdirSync(join(from, "kernel"), { recursive: true })
    .map(String)
    .filter((file) => /\.ko(\.xz)?$/.test(file))
    .sort();
  const byName = new Map(all.map((file) => [moduleName(file), file]));
  const wanted = new Set(
    all.filter((file) => DRIVERS.some((place) => file.startsWith(place)) && !NOT_DRIVERS.test(file)),
  );
  // A set that grows while it is gone through: what a chosen one depends on comes too, wherever it lies.
  for (const file of wanted)
    for (const name of dependsOf(join(from, "kernel", file))) {
      const other = byName.get(name);
      if (other) wanted.add(other);
    }
  for (const file of wanted) {
    mkdirSync(join(to, "kernel", dirname(file)), { recursive: true });
    copyFileSync(join(from, "kernel", file), join(to, "kernel", file));
  }
  for (const list of ["modules.builtin", "modules.order", "modules.builtin.modinfo"])
    if (existsSync(join(from, list))) copyFileSync(join(from, list), join(to, list));
  execFileSync("depmod", ["-b", tree, release], {
    stdio: "pipe",
    env: { ...process.env, PATH: `${process.env.PATH}:/sbin:/usr/sbin` },
  });
  return release;
}

/** Large letters, for screens that have room for 80 columns of them. */
const FONTS = ["24x12", "28x14", "32x16"].map((size) => `Lat15-TerminusBold${size}.psf`);

function copyFonts(fonts, tree) {
  mkdirSync(join(tree, "share", "consolefonts"), { recursive: true });
  for (const name of FONTS) {
    const file = find(fonts, `usr/share/consolefonts/${name}.gz`);
    if (!file) throw new Problem(`None of the packages has the font ${name}.`);
    writeFileSync(join(tree, "share", "consolefonts", name), gunzipSync(readFileSync(file)));
  }
}

/** Makes the tree; `program` is the folder that becomes `/creel`. */
export function makeRoot({ packages, fonts, kernel, program, init, tree }) {
  for (const each of [
    "bin",
    "dev",
    "proc",
    "sys",
    "run",
    "tmp",
    "root",
    "etc",
    "lib/x86_64-linux-gnu",
    "share",
    "creel",
  ])
    mkdirSync(join(tree, each), { recursive: true });
  for (const [name, target] of [
    ["sbin", "bin"],
    ["usr", "."],
  ])
    symlinkSync(target, join(tree, name));
  const busybox = find(packages, "bin/busybox");
  if (!busybox) throw new Problem("None of the packages has BusyBox.");
  copyFileSync(busybox, join(tree, "bin", "busybox"));
  chmodSync(join(tree, "bin", "busybox"), 0o755);
  copyPrograms(packages, tree);
  const applets = execFileSync(busybox, ["--list"], { encoding: "utf8" }).trim().split("\n");
  for (const name of applets) {
    const place = join(tree, "bin", name);
    if (!lstatSync(place, { throwIfNoEntry: false })) symlinkSync("busybox", place);
  }
  // Debian's Node reads some of its own parts from files.
  for (const { folder } of packages)
    if (existsSync(join(folder, "usr", "share", "nodejs")))
      copyTree(join(folder, "usr", "share", "nodejs"), join(tree, "share", "nodejs"));
  copyFonts(fonts, tree);
  copyTree(program, join(tree, "creel"));
  writeFileSync(join(tree, "init"), init);
  chmodSync(join(tree, "init"), 0o755);
  return copyDrivers(kernel, tree);
}

function copyTree(from, to) {
  mkdirSync(to, { recursive: true });
  for (const name of readdirSync(from)) {
    const stat = statSync(join(from, name), { throwIfNoEntry: false });
    if (stat?.isDirectory()) copyTree(join(from, name), join(to, name));
    else if (stat) copyFileSync(join(from, name), join(to, name));
  }
}
