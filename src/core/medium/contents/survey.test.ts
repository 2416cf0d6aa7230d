import { randomBytes } from "node:crypto";
import { readdirSync, readFileSync, writeFileSync } from "node:fs";
import { run } from "../../../../scripts/media/workshop";
import { memory, tempWorkshop } from "../../../../test/support/workshop";
import { inspect } from "../inspection/inspect";
import { startPathsOf } from "../inspection/start-paths";

// Reference: Debian's own kernel, initial file system and signed loaders (linux-image-cloud-amd64, shim-signed,
// grub-efi-amd64-signed), packed by mksquashfs, wimlib and xorriso as live media are.
const w = tempWorkshop();
const at = (name: string) => w.path(name);
const VERSION = readdirSync("/lib/modules").find((name) => name.includes("cloud")) as string;

run("mkdir", ["-p", at("root/etc"), at("root/usr/lib/modules"), at("files")]);
run("cp", ["/usr/lib/os-release", at("root/usr/lib/os-release")]);
run("ln", ["-s", "../usr/lib/os-release", at("root/etc/os-release")]);
run("cp", ["-r", `/lib/modules/${VERSION}`, at("root/usr/lib/modules/")]);
run("rm", ["-rf", at(`root/usr/lib/modules/${VERSION}/kernel`)]);
run("mksquashfs", [at("root"), at("live.squashfs"), "-comp", "xz", "-quiet", "-no-progress"]);
run("wimcapture", [at("files"), at("install.wim"), "Halyard Bosun", "--quiet"]);
for (const [key, value] of [
  ["WINDOWS/ARCH", "9"],
  ["WINDOWS/EDITIONID", "Bosun"],
  ["WINDOWS/INSTALLATIONTYPE", "Client"],
  ["WINDOWS/LANGUAGES/DEFAULT", "nb-NO"],
  ["WINDOWS/LANGUAGES/LANGUAGE", "nb-NO"],
  ["WINDOWS/VERSION/MAJOR", "10"],
  ["WINDOWS/VERSION/MINOR", "0"],
  ["WINDOWS/VERSION/BUILD", "26100"],
])
  run("wiminfo", [at("install.wim"), "1", `--image-property=${key}=${value}`]);
run("wimcapture", [at("files"), at("boot.wim"), "Set-up", "--boot", "--quiet"]);
for (const [key, value] of [
  ["WINDOWS/VERSION/MAJOR", "10"],
  ["WINDOWS/INSTALLATIONTYPE", "WindowsPE"],
])
  run("wiminfo", [at("boot.wim"), "1", `--image-property=${key}=${value}`, "--boot"]);
const INFO = 'Debian GNU/Linux 12.5.0 "Bookworm" - Official amd64 NETINST with firmware 20240210-11:27';
const esp = w.fat(
  "esp.img",
  12,
  12,
  {
    "EFI/BOOT/BOOTX64.EFI": "/usr/lib/shim/shimx64.efi.signed",
    "EFI/BOOT/grubx64.efi": "/usr/lib/grub/x86_64-efi-signed/gcdx64.efi.signed",
  },
  ["-s", "8"],
);
const disc = w.iso(
  "live.iso",
  {
    ".disk/info": w.text("info", `${INFO}\n`),
    "live/vmlinuz": `/boot/vmlinuz-${VERSION}`,
    "live/initrd.img": `/boot/initrd.img-${VERSION}`,
    "live/filesystem.squashfs": at("live.squashfs"),
    "sources/install.wim": at("install.wim"),
    "sources/boot.wim": at("boot.wim"),
    "boot/efi.img": esp,
  },
  ["-e", "boot/efi.img", "-no-emul-boot"],
);

test("a quick look tells systems, signers, images and kernel from a few megabytes", async () => {
  const { inspection, bytesRead } = await inspect(memory(disc), { name: "live.iso" });
  expect(bytesRead).toBeLessThan(16_000_000);
  const { contents, programs } = inspection;
  expect(contents.info).toBe(INFO);
  expect(contents.systems).toEqual(
    expect.arrayContaining([
      expect.objectContaining({
        family: "linux",
        name: "Debian GNU/Linux",
        version: "12.5.0",
        arch: "x64",
        role: "installs",
      }),
      expect.objectContaining({ family: "linux", name: "Debian GNU/Linux", version: "12", role: "runs" }),
      expect.objectContaining({
        family: "windows",
        name: "Halyard Bosun",
        version: "10.0.26100",
        build: 26100,
        edition: "Bosun",
        arch: "x64",
        language: "nb-NO",
        role: "installs",
      }),
    ]),
  );
  // The environment that only starts is no system that can be put on a computer.
  expect(contents.systems?.filter((each) => each.family === "windows")).toHaveLength(1);
  expect(contents.wims?.map((wim) => [wim.volume, wim.path, wim.images[0]?.startable])).toEqual(
    expect.arrayContaining([
      ["iso9660", "/sources/install.wim", false],
      ["iso9660", "/sources/boot.wim", true],
    ]),
  );
  expect(contents.kernels.map((each) => each.release)).toEqual([VERSION]);
  expect(contents.live.map((each) => [each.path, each.kind])).toEqual([["/live/filesystem.squashfs", "squashfs"]]);
  expect(contents.unread.map((each) => [each.path, each.why])).toContainEqual(["/live/initrd.img", "later"]);
  const loader = startPathsOf(inspection).flatMap((path) =>
    path.firmware === "uefi" && path.as === "optical" ? [path.loader] : [],
  )[0];
  expect(run("sh", ["-c", "pesign -h -i /usr/lib/shim/shimx64.efi.signed 2>/dev/null"])).toContain(
    `hash: ${loader?.authenticode}`,
  );
  expect(loader?.signatures?.length).toBeGreaterThan(0);
  expect(
    programs.find((each) => each.path === "/EFI/BOOT/BOOTX64.EFI")?.builtIn?.allowed.map((each) => each.name),
  ).toEqual(["Debian Secure Boot CA"]);
});

test("a deep look also tells the drivers, once for each list", async () => {
  const steps: string[] = [];
  const { inspection, drivers } = await inspect(memory(disc), {
    name: "live.iso",
    depth: "deep",
    onStep: (_volume, path) => steps.push(path) > 0,
  });
  expect(inspection.contents.unread).toEqual([]);
  expect(inspection.contents.drivers?.kernel).toBe(VERSION);
  expect(inspection.contents.drivers?.entries).toBeGreaterThan(3000);
  expect(drivers.map((each) => each.path.split(":")[0])).toEqual(
    expect.arrayContaining(["/live/initrd.img", "/live/filesystem.squashfs"]),
  );
  expect(steps).toContain("/live/initrd.img");
});

test("a deep look that is ended keeps what it has", async () => {
  const { inspection } = await inspect(memory(disc), { name: "x", depth: "deep", onStep: () => false });
  expect(inspection.contents.kernels).toEqual([]);
  expect(startPathsOf(inspection).length).toBeGreaterThan(0);
});

test("an archive of images by itself", async () => {
  const { inspection } = await inspect(memory(at("install.wim")), { name: "install.wim" });
  expect(inspection.container).toBe("wim");
  expect(inspection.contents.wims?.map((wim) => wim.path)).toEqual(["/install.wim"]);
  expect(inspection.contents.systems?.map((each) => each.edition)).toEqual(["Bosun"]);
});

test("the root of an installed system, and a kernel that is a unified image", async () => {
  const image = w.blank("root.ext4", 24);
  run("mke2fs", ["-q", "-t", "ext4", "-d", at("root"), image]);
  const { inspection } = await inspect(memory(image), { name: "root", depth: "deep" });
  expect(inspection.contents.systems).toEqual([expect.objectContaining({ version: "12", role: "installed" })]);
  expect(inspection.contents.drivers?.kernel).toBe(VERSION);
  // Reference: objcopy adds the section as the UAPI Group's specification names it.
  writeFileSync(at("uname"), "6.99.1-unified");
  run("objcopy", [
    "--add-section",
    `.uname=${at("uname")}`,
    "--change-section-vma",
    ".uname=0x9000000",
    w.efi("x64"),
    at("unified.efi"),
  ]);
  const stick = w.fat("unified.img", 4, 12, { "EFI/Linux/unified.efi": at("unified.efi") }, ["-s", "8"]);
  expect((await inspect(memory(stick), { name: "u" })).inspection.contents.kernels.map((each) => each.release)).toEqual(
    ["6.99.1-unified"],
  );
});

test("a loader as large as a kernel has its digest and its signer in a first look too", async () => {
  const own = w.path("large.efi");
  writeFileSync(own, Buffer.concat([readFileSync(w.efi("x64")), randomBytes(14_000_000)]));
  run("openssl", [
    ...["req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "30", "-subj", "/CN=Skerry Line loaders"],
    ...["-keyout", at("loader.key"), "-out", at("loader.pem")],
  ]);
  run("sbsign", ["--key", at("loader.key"), "--cert", at("loader.pem"), "--output", at("large.signed.efi"), own]);
  // Reference: sbverify, which holds the digest in the signature against the file.
  run("sbverify", ["--cert", at("loader.pem"), at("large.signed.efi")]);
  const stick = w.fat("large-loader.img", 64, 32, { "EFI/BOOT/BOOTX64.EFI": at("large.signed.efi") });
  const { inspection, bytesRead } = await inspect(memory(stick), { name: "stick" });
  const [path] = startPathsOf(inspection).filter(({ firmware }) => firmware === "uefi");
  if (path?.firmware !== "uefi") throw new Error("no path for UEFI");
  expect(path.loader.authenticode).toMatch(/^[0-9a-f]{64}$/);
  const signatures = path.loader.signatures?.map(({ signerName, digest, fault }) => [signerName, digest, fault]);
  expect(signatures).toEqual([["Skerry Line loaders", path.loader.authenticode, null]]);
  expect(inspection.contents.unread).toEqual([]);
  // Its digest is computed once.
  expect(bytesRead).toBeLessThan(16 << 20);
});
