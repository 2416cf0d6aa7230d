// Debian's packages, fetched and unpacked beside each other, never installed.
import { execFileSync } from "node:child_process";
import { existsSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, renameSync, rmSync } from "node:fs";
import { join } from "node:path";
import { Problem } from "../lib/problem.mjs";

/** What the environment is made of; libraries come with what needs them. */
export const TOOLS = [
  ...["busybox-static", "nodejs", "ntfs-3g", "e2fsprogs", "dosfstools", "exfatprogs"],
  ...["efibootmgr", "cryptsetup-bin", "fdisk", "kmod", "kbd"],
];
/** Letters for the screen. */
export const FONTS = ["console-setup-linux"];
/** What starts it. */
export const LOADERS = [
  "shim-signed",
  "shim-helpers-amd64-signed",
  "grub-efi-amd64-signed",
  "grub-efi-ia32-bin",
  "grub-pc-bin",
];
/** Needed by packages for their own setting up, not by what is taken from them. */
const NOT_TAKEN =
  /^(perl|python3|libpython|libperl|debconf|cdebconf|adduser|passwd|dpkg|tar|sed|install-info|mailcap|media-types|mime-support|openssl|ca-certificates|libpam|libnewt|libslang|libdebian|libtextwrap|gcc-\d)/;

function run(command, args, options = {}) {
  return execFileSync(command, args, {
    encoding: "utf8",
    maxBuffer: 2 ** 28,
    stdio: ["ignore", "pipe", "pipe"],
    ...options,
  });
}

/** The newest version of each that can be fetched; a name that no package has is left out. */
function versionsOf(names) {
  const versions = new Map();
  for (const line of run("apt-cache", ["madison", ...names]).split("\n")) {
    const [name, version, source] = line.split("|").map((each) => each.trim());
    // The first line of a package names its newest version.
    if (name && version && source?.endsWith(" Packages") && !versions.has(name)) versions.set(name, version);
  }
  return versions;
}

/** What the packages depend on, themselves among it, in order of their names. Of alternatives the first is taken. */
export function closureOf(names) {
  const found = new Set();
  for (let next = [...names]; next.length > 0; ) {
    const versions = versionsOf(next);
    for (const name of versions.keys()) found.add(name);
    const told = run("apt-cache", ["show", ...[...versions].map(([name, version]) => `${name}=${version}`)]);
    const depends = [...told.matchAll(/^(?:Pre-)?Depends: (.+)$/gm)].flatMap(([, list]) => list.split(","));
    const named = depends.map((each) => each.split("|")[0].trim().split(/[ :(]/)[0]);
    next = [...new Set(named)].filter((name) => name && !found.has(name) && !NOT_TAKEN.test(name));
    if (versions.size === 0) break;
  }
  return [...found].sort();
}

/** Fetches the lists of packages, where a machine's were removed or are old. */
function updateLists() {
  run("sh", ["-c", '[ "$(id -u)" = 0 ] && apt-get update || sudo apt-get update']);
}

/** The kernel that the release's own package names: the same, signed, for all computers. */
export function kernelPackage() {
  const named = () =>
    /Depends: (linux-image-\S+-amd64)/.exec(run("sh", ["-c", "apt-cache depends linux-image-amd64; :"]))?.[1];
  if (!named()) updateLists();
  const found = named();
  if (!found) throw new Problem("Debian's kernel package was not found: run apt-get update.");
  return found;
}

function download(names, folder) {
  const fetch = () => run("apt-get", ["download", "-o", "APT::Sandbox::User=root", ...names], { cwd: folder });
  try {
    fetch();
  } catch {
    // Lists that are old name versions that are no longer there.
    updateLists();
    try {
      fetch();
    } catch (error) {
      throw new Problem(`Debian's packages could not be fetched: ${String(error.stderr).trim().split("\n").at(-1)}`);
    }
  }
}

/** Fetches and unpacks packages below a folder, each in one of its own by name and version; what is there is used again. */
export function unpackAll(names, folder) {
  mkdirSync(folder, { recursive: true });
  const versions = versionsOf(names);
  const wanted = names
    .map((name) => ({ name, version: versions.get(name) ?? "" }))
    .filter(({ version }) => version !== "");
  const placeOf = ({ name, version }) => join(folder, `${name}_${encodeURIComponent(version)}`);
  const missing = wanted.filter((each) => !existsSync(placeOf(each)));
  if (missing.length > 0) {
    const work = mkdtempSync(join(folder, "fetching-"));
    download(
      missing.map(({ name, version }) => `${name}=${version}`),
      work,
    );
    for (const file of readdirSync(work)
      .filter((each) => each.endsWith(".deb"))
      .sort()) {
      const [name] = file.split("_");
      const each = missing.find((other) => other.name === name);
      if (!each) continue;
      const tree = join(work, `${name}.tree`);
      run("dpkg-deb", ["-x", join(work, file), tree]);
      // Another build may have been quicker: what it unpacked is the same.
      if (!existsSync(placeOf(each))) renameSync(tree, placeOf(each));
    }
    rmSync(work, { recursive: true, force: true });
  }
  return wanted.map((each) => ({ ...each, folder: placeOf(each), licences: licencesOf(placeOf(each), each.name) }));
}

/** Licences by their short names, as the package's machine-readable copyright file has them (DEP 5); else none. */
function licencesOf(folder, name) {
  const file = join(folder, "usr", "share", "doc", name, "copyright");
  if (!existsSync(file)) return [];
  const text = readFileSync(file, "utf8");
  return [...new Set([...text.matchAll(/^License: *([^\n]+)$/gm)].map(([, each]) => each.trim()))].sort();
}
