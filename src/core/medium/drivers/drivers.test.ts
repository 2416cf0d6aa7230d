import { readdirSync, readFileSync } from "node:fs";
import { run } from "../../../../scripts/media/workshop";
import { damaged, dice } from "../../../../test/support/dice";
import { memory, tempWorkshop } from "../../../../test/support/workshop";
import { CachedSource } from "../../kernel/source";
import { survey } from "../contents/survey";
import { volumesOf } from "../volumes/volumes";
import { readAliasIndex, readBuiltinModinfo, readModulesAlias } from "./aliases";
import { claimsToSource, DriverIndex, infToSources } from "./driver-set";
import { fits } from "./glob";
import { hardwareIds } from "./hardware-ids";
import { decodeInf, readInf } from "./inf";

// Reference: kmod (modprobe -R, modinfo) on the files of Debian's package linux-image-cloud-amd64.
const VERSION = readdirSync("/lib/modules").find((name) => name.includes("cloud")) as string;
const MODULES = `/lib/modules/${VERSION}`;
const INITRD = `/boot/initrd.img-${VERSION}`;
const text = (name: string) => readFileSync(`${MODULES}/${name}`, "latin1");
const aliases = readModulesAlias(text("modules.alias"));
const index = new DriverIndex([
  claimsToSource("modules", "modules.alias", VERSION, aliases),
  claimsToSource("built-in", "modules.builtin.modinfo", VERSION, readBuiltinModinfo(text("modules.builtin.modinfo"))),
]);
const w = tempWorkshop();

/** What modprobe resolves a modalias to; nothing where no module claims it. */
function modprobe(modalias: string): string[] {
  const told = run("sh", ["-c", 'modprobe -C /dev/null -S "$1" -R "$2" 2>/dev/null || true', "sh", VERSION, modalias])
    .split("\n")
    .filter(Boolean);
  // A module that two patterns of it claim is named twice.
  return [...new Set(told)];
}

/** Devices that a pattern was written for: what it leaves open is filled in. */
function deviceOf(pattern: string, fill: string): string {
  return pattern
    .replace(/\[([^\]])[^\]]*\]/g, "$1")
    .replaceAll("*", fill)
    .replaceAll("?", "0");
}

test("drivers of devices are those of modprobe, each pattern of the lists tried in turn", () => {
  const all = [
    ...aliases.map((each) => each.pattern),
    ...readBuiltinModinfo(text("modules.builtin.modinfo")).map((each) => each.pattern),
  ];
  const devices = all.filter((pattern) => pattern.includes(":"));
  expect(devices.length).toBeGreaterThan(1000);
  for (let at = 0; at < devices.length; at += 7) {
    const modalias = deviceOf(devices[at] as string, at % 2 ? "00000000" : "");
    expect([modalias, ...index.claimants(modalias).map((each) => each.driver)].sort()).toEqual(
      [modalias, ...modprobe(modalias)].sort(),
    );
  }
});

test.each([
  "pci:v00008086d00002922sv00001AF4sd00001100bc01sc06i01",
  "pci:v00001AF4d00001000sv00001AF4sd00000001bc02sc00i00",
  "pci:v0000FFFFd0000FFFFsv00000000sd00000000bcFFscFFiFF",
  "virtio:d00000002v00001AF4",
  "usb:v0BDAp8153d3000dc00dsc00dp00icFFiscFFip00in00",
  "acpi:PNP0C0A:",
  "dmi:bvnACME:bvr1.0:",
])("%s", (modalias) => {
  expect(index.claimants(modalias).map((each) => each.driver)).toEqual(modprobe(modalias));
});

test("the binary index of kmod holds the same lines", () => {
  const bytes = new Uint8Array(readFileSync(`${MODULES}/modules.alias.bin`));
  const lines = (claims: { pattern: string; driver: string }[]) =>
    claims.map((each) => `${each.pattern} ${each.driver}`).sort();
  expect(lines(readAliasIndex(bytes) ?? [])).toEqual([...new Set(lines(aliases))]);
  const roll = dice(3);
  for (let round = 0; round < 200; round++)
    expect((readAliasIndex(damaged(bytes, roll)) ?? []).length).toBeLessThan(500_001);
});

test("aliases of one module are those of modinfo", () => {
  const driver = "virtio_net";
  const told = run("modinfo", ["-k", VERSION, "-F", "alias", driver]).split("\n").filter(Boolean);
  const own = aliases.filter((each) => each.driver === driver).map((each) => each.pattern);
  expect(own.sort()).toEqual(told.map((each) => each.replaceAll("-", "_")).sort());
});

describe("inside initial file systems", () => {
  const lists = async (name: string, command: string) => {
    run("sh", ["-c", `cd ${w.folder} && ${command}`]);
    const disc = w.iso(`${name}.iso`, { "boot/initrd.img": w.path(name) }, []);
    return survey(await volumesOf(new CachedSource(memory(disc))), { depth: "deep" });
  };
  // Reference: update-initramfs wrote it; its plain form, without the large modules, is packed anew by each tool.
  run("sh", [
    "-c",
    `cd ${w.folder} && unmkinitramfs ${INITRD} tree && find tree -name '*.ko' ! -name 'virtio*' -size +48k -delete && mkdir -p early/kernel/x86 && echo x > early/kernel/x86/code`,
  ]);
  run("sh", [
    "-c",
    `cd ${w.folder} && (cd early && find . | cpio -o -H newc --quiet) > early.cpio && (cd tree && find . | cpio -o -H newc --quiet) > plain.cpio`,
  ]);

  test.each([
    ["as it was made", `cp ${INITRD} as.img`, "as.img"],
    ["gzip", "gzip -1 -c plain.cpio > gz.img", "gz.img"],
    ["xz", "xz -0 --check=crc32 -c plain.cpio > xz.img", "xz.img"],
    ["zstd", "zstd -q -1 -c plain.cpio > zst.img", "zst.img"],
    ["lz4", "lz4 -q -l -c plain.cpio > lz4.img", "lz4.img"],
    ["two archives, the first one plain", "cat early.cpio > two.img && gzip -1 -c plain.cpio >> two.img", "two.img"],
    ["two plain archives", "cat early.cpio plain.cpio > plain.img", "plain.img"],
  ])("%s", async (_what, command, name) => {
    const { drivers, unread } = await lists(name, command);
    expect(unread).toEqual([]);
    const modules = drivers.find((each) => each.kind === "modules");
    expect(modules?.kernel).toBe(VERSION);
    const own = readModulesAlias(readFileSync(w.path(`tree/usr/lib/modules/${VERSION}/modules.alias`), "latin1"));
    expect(Object.values(modules?.drivers ?? {}).flat().length).toBe(own.length);
    expect(new DriverIndex(drivers).claimants("virtio:d00000002v00001AF4")[0]?.driver).toBe("virtio_blk");
  });

  test("without lists the modules themselves are asked", async () => {
    const { drivers } = await lists(
      "bare.img",
      "cp -r tree bare && find bare -type f ! -name 'virtio*.ko' -delete && (cd bare && find . | cpio -o -H newc --quiet) | gzip -1 > bare.img",
    );
    expect(new DriverIndex(drivers).claimants("virtio:d00000002v00001AF4")[0]?.driver).toBe("virtio_blk");
  });

  test("one that is cut short or has no decoder is named as not read", async () => {
    const cut = await lists("cut.img", "gzip -1 -c plain.cpio | head -c 3000000 > cut.img");
    expect(cut.unread.map((each) => each.why)).toEqual(["damaged"]);
    const bzip = await lists("initrd.bz2.img", "bzip2 -1 -c early.cpio > initrd.bz2.img");
    expect(bzip.unread.map((each) => each.why)).toEqual(["no-decoder"]);
  });
});

test.each<[string, string, boolean]>([
  ["a*c", "abbbc", true],
  ["a*c", "abbbd", false],
  ["a?c", "abc", true],
  ["*", "", true],
  ["pci:v*d[0-4]*", "pci:v1d3x", true],
  ["pci:v*d[!0-4]*", "pci:v1d3x", false],
  ["a[bc", "a[bc", true],
  ["**a**b", "xxaxxb", true],
  [`${"*a".repeat(30)}b`, "a".repeat(200), false],
])("fnmatch: %s and %s", (pattern, device, expected) => {
  expect(fits(pattern, device)).toBe(expected);
});

describe(".inf files", () => {
  // The forms are those of Microsoft's "INF file sections and directives"; maker and devices are invented.
  const INF = `; storage of Norlight
[Version]
Signature="$Windows NT$"
Class=SCSIAdapter
Provider=%NL%
CatalogFile.ntamd64=nlahci.cat
DriverVer=03/01/2026,1.2.3.4
[Manufacturer]
%NL%=Norlight, NTx86, NTamd64.10.0...16299, NTarm64
[Norlight]
"Old" = Inst, PCI\\VEN_1AF4&DEV_0001
[Norlight.NTamd64.10.0...16299]
%Disk% = Inst, PCI\\VEN_1AF4&DEV_1042&SUBSYS_10421AF4 ; the usual one
%Any% = Inst,,PCI\\VEN_1AF4&CC_0106
"Quoted; not a comment" = Inst, \\
  pci\\ven_1af4&dev_1099
[norlight.ntarm64]
%Disk% = Inst, PCI\\VEN_1AF4&DEV_1042
[Strings]
NL="Norlight ""Marine"""
Disk="Norlight disk controller"
Any="Any of them"
`;
  const utf16 = Buffer.concat([Buffer.from([0xff, 0xfe]), Buffer.from(INF.replaceAll("\n", "\r\n"), "utf16le")]);

  test.each([
    ["one byte a character", Buffer.from(INF, "latin1")],
    ["UTF-16", utf16],
    ["UTF-8 with a mark", Buffer.concat([Buffer.from([0xef, 0xbb, 0xbf]), Buffer.from(INF)])],
  ])("%s", (_what, bytes) => {
    const inf = readInf(decodeInf(bytes));
    expect(inf).toMatchObject({
      className: "SCSIAdapter",
      provider: 'Norlight "Marine"',
      date: "03/01/2026",
      version: "1.2.3.4",
      catalogue: "nlahci.cat",
    });
    expect(inf?.devices).toEqual([
      { id: "PCI\\VEN_1AF4&DEV_0001", description: "Old", arch: "ia32" },
      { id: "PCI\\VEN_1AF4&DEV_1042&SUBSYS_10421AF4", description: "Norlight disk controller", arch: "x64" },
      { id: "PCI\\VEN_1AF4&CC_0106", description: "Any of them", arch: "x64" },
      { id: "PCI\\VEN_1AF4&DEV_1099", description: "Quoted; not a comment", arch: "x64" },
      { id: "PCI\\VEN_1AF4&DEV_1042", description: "Norlight disk controller", arch: "aa64" },
    ]);
  });

  test("claim the devices whose identifiers they list, the most particular first", () => {
    const set = new DriverIndex(
      infToSources("/drivers/nlahci.inf", readInf(INF) as NonNullable<ReturnType<typeof readInf>>),
    );
    const claims = (modalias: string) =>
      set.claimants(modalias).map((each) => `${each.driver} ${each.pattern} ${each.source.arch}`);
    expect(claims("pci:v00001AF4d00001042sv00001AF4sd00001042bc01sc80i00")).toEqual([
      "nlahci.inf PCI\\VEN_1AF4&DEV_1042&SUBSYS_10421AF4 x64",
    ]);
    expect(claims("pci:v00001AF4d00007777sv00000000sd00000000bc01sc06i01")).toEqual([
      "nlahci.inf PCI\\VEN_1AF4&CC_0106 x64",
    ]);
    expect(claims("pci:v00008086d00001042sv00000000sd00000000bc01sc06i01")).toEqual([]);
  });

  test("what is none, or damaged, claims nothing and never fails", () => {
    expect(readInf("[autorun]\nopen=setup.exe\n")).toBeNull();
    const roll = dice(9);
    for (let round = 0; round < 300; round++) readInf(decodeInf(damaged(utf16, roll)));
    expect(readInf("")).toBeNull();
  });

  test("identifiers of a USB device", () => {
    // Reference: Microsoft, "Standard USB identifiers".
    expect(hardwareIds("usb:v0BDAp8153d3000dc00dsc00dp00icFFiscFFip00in01").slice(0, 4)).toEqual([
      "USB\\VID_0BDA&PID_8153&REV_3000&MI_01",
      "USB\\VID_0BDA&PID_8153&MI_01",
      "USB\\VID_0BDA&PID_8153&REV_3000",
      "USB\\VID_0BDA&PID_8153",
    ]);
    expect(hardwareIds("platform:thing")).toEqual([]);
  });
});
