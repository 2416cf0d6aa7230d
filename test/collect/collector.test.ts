import { spawnSync } from "node:child_process";
import { copyFileSync, mkdirSync, readdirSync, readFileSync, symlinkSync, writeFileSync } from "node:fs";
import { dirname, join } from "node:path";
import { readDocument } from "@/core/computer/collect/read";
import { applyMerge, NO_PROVENANCE } from "@/core/computer/facts/merge";
import { type Facts, readFacts } from "@/core/computer/facts/schema";
import { summariseSecureBoot } from "@/core/computer/secure-boot/lists";
import { run } from "../../scripts/media/workshop";
import { certificate } from "../support/certificate";
import { computerTables } from "../support/smbios";
import { tempWorkshop } from "../support/workshop";

const COLLECTOR = join(__dirname, "..", "..", "collect", "creel-collect.sh");
const w = tempWorkshop();
/** The shells that it must run under: Debian's sh, and the one of small live environments. */
const SHELLS = [["dash"], ["busybox", "sh"]] as const;

function collect(shell: readonly string[], args: string[], env: NodeJS.ProcessEnv = process.env): Facts {
  const [command, ...before] = shell as [string, ...string[]];
  const { stdout, stderr, status } = spawnSync(command, [...before, COLLECTOR, ...args], { encoding: "utf8", env });
  expect([status, stderr]).toEqual([0, ""]);
  const reading = readFacts(stdout);
  if (!reading.ok) throw new Error(`${reading.problem.code}\n${stdout}`);
  return reading.facts;
}

type Tree = Record<string, string | Uint8Array | { link: string }>;
let trees = 0;
function plant(tree: Tree): string {
  const root = w.path(`tree${trees++}`);
  mkdirSync(root);
  for (const [path, content] of Object.entries(tree)) {
    const full = join(root, path);
    mkdirSync(dirname(full), { recursive: true });
    if (typeof content === "object" && "link" in content) symlinkSync(content.link, full);
    else writeFileSync(full, content);
  }
  return root;
}

const GLOBAL = "8be4df61-93ca-11d2-aa0d-00e098032b8c";
const SECURITY = "d719b2cb-3d3a-4596-a3bc-dad00e67656f";
const variable = (data: Uint8Array | number[], attributes = 7) => Uint8Array.from([attributes, 0, 0, 0, ...data]);
const wide = (text: string) => [...Buffer.from(`${text}\0`, "utf16le")];
function option(name: string, path: string): number[] {
  const node = wide(path);
  const nodes = [1, 1, 6, 0, 0, 0, 4, 4, node.length + 4, 0, ...node, 0x7f, 0xff, 4, 0];
  return [1, 0, 0, 0, nodes.length, 0, ...wide(name), ...nodes];
}
/** A raw table entry as /sys/firmware/dmi/entries has it. */
const raw = ({ type, body, strings }: { type: number; body: number[]; strings: string[] }) =>
  Uint8Array.from([type, body.length + 4, 0, 0, ...body, ...strings.flatMap((text) => [...Buffer.from(text), 0]), 0]);
const tables = computerTables({
  biosVendor: "Norlight Firmware",
  biosVersion: "2.18",
  make: "Corvane",
  model: "Slate 14",
  serial: "COR4411",
  assetTag: "QX-014",
  chassis: 10,
  cpu: "Norlight N5",
  memoryMb: [8192, 8192],
});

/** File systems made by their own tools, as partitions of a disk that sgdisk laid out. */
const MIB = 1048576;
const parts = {
  esp: w.blank("esp.part", 64),
  root: w.blank("root.part", 48),
  xfs: w.blank("xfs.part", 320),
  btrfs: w.blank("btrfs.part", 128),
  swap: w.blank("swap.part", 8),
  luks: w.blank("luks.part", 32),
};
run("mkfs.fat", ["-F", "32", "-s", "1", "-n", "ESP", parts.esp]);
const tree = w.path("rootfs");
mkdirSync(join(tree, "etc"), { recursive: true });
writeFileSync(join(tree, "etc", "os-release"), 'NAME="Kittiwake"\nVERSION_ID="9"\nID=kittiwake\n');
writeFileSync(join(tree, "filler"), Buffer.alloc(5 * MIB, 7));
run("mkfs.ext4", ["-q", "-F", "-L", 'sy"stem', "-d", tree, parts.root]);
run("mkfs.xfs", ["-q", "-f", "-L", "bookings", parts.xfs]);
run("mkfs.btrfs", ["-q", "-f", parts.btrfs]);
run("mkswap", [parts.swap]);
run("cryptsetup", ["luksFormat", "-q", "--pbkdf", "pbkdf2", "--pbkdf-force-iterations", "1000", parts.luks], {
  input: "secret",
});

const disk = w.blank("disk.img", 700);
const sizes: [keyof typeof parts, string][] = [
  ["esp", "ef00"],
  ["root", "8304"],
  ["xfs", "8300"],
  ["btrfs", "8300"],
  ["swap", "8200"],
  ["luks", "8309"],
];
const bytesOf = (file: string) => readFileSync(file).length;
run("sgdisk", [
  ...sizes.flatMap(([name, type], at) => [
    "-n",
    `${at + 1}:0:+${bytesOf(parts[name]) / MIB}M`,
    "-t",
    `${at + 1}:${type}`,
  ]),
  disk,
]);

const network = (name: string, address: string, { device = true, given = "0" } = {}): Tree => ({
  [`sys/class/net/${name}/address`]: `${address}\n`,
  [`sys/class/net/${name}/type`]: "1\n",
  [`sys/class/net/${name}/addr_assign_type`]: `${given}\n`,
  ...(device ? { [`sys/class/net/${name}/device/vendor`]: "0x8086\n" } : {}),
});

function uefiLaptop(): Tree {
  certificate(w, "/CN=Skerry Test CA", 30);
  run("cert-to-efi-sig-list", [w.path("c.pem"), w.path("db.esl")]);
  const esl = new Uint8Array(readFileSync(w.path("db.esl")));
  const pci = "sys/devices/pci0000:00/0000:00:0e.0/nvme/nvme0/nvme0n1";
  const result: Tree = {
    "proc/cpuinfo": "processor\t: 0\nvendor_id\t: Norlight\nmodel name\t: Norlight N5 @ 2.4\nflags\t\t: fpu lm\n",
    "proc/meminfo": "MemTotal:       16000000 kB\n",
    "proc/mounts": "/dev/nvme0n1p2 / ext4 rw 0 0\nproc /proc proc rw 0 0\n",
    "etc/os-release": 'NAME="Kittiwake"\nVERSION_ID="9"\nVARIANT="Bridge \\"A\\""\n',
    "bin/sh": readFileSync("/bin/dash"),
    "sys/class/dmi/id/sys_vendor": "Corvane\n",
    "sys/class/dmi/id/product_name": "Slate 14\n",
    "sys/class/dmi/id/product_serial": "COR4411\n",
    "sys/class/dmi/id/product_uuid": "4C4C4544-0042-3510-8048-B2C04F4E3332\n",
    ...network("eth0", "00:16:cb:0a:0b:0c"),
    ...network("virt0", "00:16:cb:99:99:99", { device: false }),
    ...network("random", "02:16:cb:01:02:03", { given: "1" }),
    "sys/class/dmi/id/chassis_type": "10\n",
    "sys/class/dmi/id/chassis_asset_tag": "QX-014\n",
    "sys/class/dmi/id/bios_vendor": "Norlight Firmware\n",
    "sys/class/dmi/id/bios_version": "2.18\n",
    "sys/firmware/efi/fw_platform_size": "64\n",
    [`sys/firmware/efi/efivars/SecureBoot-${GLOBAL}`]: variable([1], 6),
    [`sys/firmware/efi/efivars/SetupMode-${GLOBAL}`]: variable([0], 6),
    [`sys/firmware/efi/efivars/db-${SECURITY}`]: variable(esl, 0x27),
    [`sys/firmware/efi/efivars/BootOrder-${GLOBAL}`]: variable([3, 0, 0xff, 0x1a]),
    [`sys/firmware/efi/efivars/Boot0003-${GLOBAL}`]: variable(option("Kittiwake", "\\EFI\\kittiwake\\shimx64.efi")),
    [`sys/firmware/efi/efivars/Boot1AFF-${GLOBAL}`]: variable(option('Übung "2"', "")),
    "sys/firmware/efi/efivars/SbatLevelRT-605dab50-e046-4300-abb6-3dd810dd8b23": variable(
      [...Buffer.from("sbat,1,2024010900\nshim,4\n\0")],
      6,
    ),
    "sys/devices/pci0000:00/0000:00:0e.0/class": "0x010802\n",
    "sys/devices/pci0000:00/0000:00:0e.0/modalias": "pci:v0000144Dd0000A808sv0000144Dsd0000A801bc01sc08i02\n",
    "sys/bus/pci/devices/0000:00:0e.0": { link: "../../../devices/pci0000:00/0000:00:0e.0" },
    "sys/bus/usb/devices/1-1:1.0/modalias": "usb:v1D6Bp0002d0100dc00dsc00dp00ic03isc01ip01in00\n",
    "sys/bus/usb/devices/1-0:1.0/usb1-port1/connect_type": "hotplug\n",
    "sys/bus/usb/devices/1-0:1.0/usb1-port2/connect_type": "hotplug\n",
    "sys/bus/usb/devices/1-0:1.0/usb1-port3/connect_type": "hardwired\n",
    "sys/block/nvme0n1": { link: "../devices/pci0000:00/0000:00:0e.0/nvme/nvme0/nvme0n1" },
    "sys/block/loop0/size": "100\n",
    [`${pci}/size`]: `${(700 * MIB) / 512}\n`,
    [`${pci}/removable`]: "0\n",
    [`${pci}/queue/logical_block_size`]: "512\n",
    [`${pci}/device/model`]: "Halyde 700   \n",
    [`${pci}/device/serial`]: "H-0007\n",
    "dev/nvme0n1": readFileSync(disk),
  };
  for (const [index, table] of tables.entries())
    result[`sys/firmware/dmi/entries/${table.type}-${table.type === 17 ? index - 4 : 0}/raw`] = raw(table);
  let start = 1;
  for (const [at, [name]] of sizes.entries()) {
    const [number, mebibytes] = [at + 1, bytesOf(parts[name]) / MIB];
    result[`${pci}/nvme0n1p${number}/partition`] = `${number}\n`;
    result[`${pci}/nvme0n1p${number}/start`] = `${(start * MIB) / 512}\n`;
    result[`${pci}/nvme0n1p${number}/size`] = `${(mebibytes * MIB) / 512}\n`;
    result[`dev/nvme0n1p${number}`] = readFileSync(parts[name]);
    start += mebibytes;
  }
  return result;
}
const laptop = plant(uefiLaptop());

describe.each(SHELLS.map((shell) => ({ name: shell.join(" "), shell })))("$name", ({ shell }) => {
  test("this machine, for real: its disks as the kernel tells them, and a system", () => {
    const facts = collect(shell, []);
    expect(facts.collected?.by).toMatch(/^creel-collect\.sh \d+$/);
    for (const disk of facts.disks ?? [])
      expect(disk.bytes).toBe(Number(readFileSync(`/sys/block/${disk.name}/size`, "utf8")) * 512);
    const names = readdirSync("/sys/block").filter(
      (name) => /^(sd|vd|nvme|xvd)/.test(name) && readFileSync(`/sys/block/${name}/size`, "utf8").trim() !== "0",
    );
    expect(facts.disks?.map((disk) => disk.name)).toEqual(names.sort());
    expect(facts.memoryBytes).toBeGreaterThan(2 ** 28);
  });

  test("a UEFI laptop: identity, firmware, start entries, memory, ports", async () => {
    const facts = collect(shell, ["--root", laptop]);
    expect(facts).toMatchObject({
      computer: {
        ...{ tag: "QX-014", make: "Corvane", model: "Slate 14", serial: "COR4411", form: "laptop" },
        ...{ uuid: "4c4c4544-0042-3510-8048-b2c04f4e3332", addresses: ["00:16:cb:0a:0b:0c"] },
      },
      firmware: {
        kind: "uefi",
        arch: "x64",
        vendor: "Norlight Firmware",
        version: "2.18",
        legacyMode: null,
        secureBoot: { state: "on", pk: "", sbatLevel: "sbat,1,2024010900\nshim,4" },
        startOrder: ["0003", "1AFF"],
        entries: [
          { id: "0003", name: "Kittiwake", active: true, path: "\\EFI\\kittiwake\\shimx64.efi" },
          { id: "1AFF", name: 'Übung "2"' },
        ],
      },
      cpu: { arch: "x64", name: "Norlight N5 @ 2.4" },
      memoryBytes: 16 * 2 ** 30,
      ports: { usb: 2, optical: false },
      systems: [
        {
          family: "linux",
          name: "Kittiwake",
          version: "9",
          edition: 'Bridge "A"',
          arch: "x64",
          partition: "nvme0n1 2",
        },
      ],
    });
    expect(summariseSecureBoot(facts.firmware).signers?.map((each) => each.name)).toEqual(["Skerry Test CA"]);
    expect(facts.devices?.map((device) => [device.class, device.modalias.slice(0, 17)])).toEqual([
      ["storage", "pci:v0000144Dd000"],
      ["input", "usb:v1D6Bp0002d01"],
    ]);
  });

  test("its disk: types from the table, file systems and what is used from their own superblocks", () => {
    const [disk] = collect(shell, ["--root", laptop]).disks ?? [];
    expect(disk).toMatchObject({
      name: "nvme0n1",
      bytes: 700 * MIB,
      sectorBytes: 512,
      bus: "nvme",
      table: "gpt",
      model: "Halyde 700",
      serial: "H-0007",
      removable: false,
    });
    expect(
      disk?.partitions.map(({ number, filesystem, role, encryption, label }) => [
        number,
        filesystem,
        role,
        encryption,
        label,
      ]),
    ).toEqual([
      [1, "fat32", "esp", null, "ESP"],
      [2, "ext4", "system", null, 'sy"stem'],
      [3, "xfs", null, null, "bookings"],
      [4, "btrfs", null, null, null],
      [5, "swap", "swap", null, null],
      [6, "luks", null, "luks", null],
    ]);
    const used = (number: number) => disk?.partitions[number - 1]?.usedBytes;
    // The reference tools' own words about the same file systems.
    const ext = run("dumpe2fs", ["-h", parts.root]);
    const field = (name: string) => Number(new RegExp(`^${name}:\\s+(\\d+)`, "m").exec(ext)?.[1]);
    expect(used(2)).toBe((field("Block count") - field("Free blocks")) * field("Block size"));
    const xfs = run("xfs_db", ["-r", "-c", "sb 0", "-c", "print dblocks fdblocks blocksize", parts.xfs]);
    const value = (name: string) => Number(new RegExp(`^${name} = (\\d+)`, "m").exec(xfs)?.[1]);
    expect(used(3)).toBe((value("dblocks") - value("fdblocks")) * value("blocksize"));
    const btrfs = run("btrfs", ["inspect-internal", "dump-super", parts.btrfs]);
    expect(used(4)).toBe(Number(/^bytes_used\s+(\d+)/m.exec(btrfs)?.[1]));
    expect(used(1)).toBe(512);
    // What the partition tables' own tool says.
    const table = JSON.parse(run("sfdisk", ["--json", disk === undefined ? "" : w.path("disk.img")])).partitiontable;
    expect(disk?.partitions.map(({ type, start, bytes }) => [type, (start ?? 0) / 512, bytes / 512])).toEqual(
      table.partitions.map((each: { type: string; start: number; size: number }) => [
        each.type.toLowerCase(),
        each.start,
        each.size,
      ]),
    );
  });

  test("an older BIOS desktop: an active partition, an optical drive, fillers left out", () => {
    const mbr = w.path("mbr.img");
    copyFileSync(w.blank("mbr0.img", 8), mbr);
    run("sfdisk", ["--quiet", mbr], { input: "label: dos\nstart=2048,size=4096,type=7,bootable\nsize=4096,type=27\n" });
    const root = plant({
      "proc/cpuinfo": "vendor_id\t: Pharos\nmodel name\t: Pharos 3\nflags\t\t: fpu\n",
      "proc/meminfo": "MemTotal:        2000000 kB\n",
      "sys/class/dmi/id/sys_vendor": "To Be Filled By O.E.M.\n",
      "sys/class/dmi/id/board_vendor": "Ostrel\n",
      "sys/class/dmi/id/product_name": "System Product Name\n",
      "sys/class/dmi/id/product_serial": "0000000\n",
      "sys/class/dmi/id/chassis_type": "3\n",
      "sys/block/sr0/size": "0\n",
      "sys/block/sda/size": "16384\n",
      "sys/block/sda/removable": "0\n",
      "sys/block/sda/sda1/partition": "1\n",
      "sys/block/sda/sda1/start": "2048\n",
      "sys/block/sda/sda1/size": "4096\n",
      "sys/block/sda/sda2/partition": "2\n",
      "sys/block/sda/sda2/start": "6144\n",
      "sys/block/sda/sda2/size": "4096\n",
      "dev/sda": readFileSync(mbr),
      "dev/sda1": Uint8Array.from([0xeb, 0x52, 0x90, ...Buffer.from("NTFS    "), ...new Array(600).fill(0)]),
      "dev/sda2": Uint8Array.from([0xeb, 0x58, 0x90, ...Buffer.from("-FVE-FS-"), ...new Array(600).fill(0)]),
    });
    expect(collect(shell, ["--root", root, "--tag", "WS-1"])).toMatchObject({
      computer: { tag: "WS-1", make: "Ostrel", model: null, serial: null, form: "desktop" },
      firmware: { kind: "bios", arch: null, secureBoot: null },
      cpu: { arch: "ia32" },
      memoryBytes: 2_048_000_000,
      disks: [
        {
          name: "sda",
          table: "mbr",
          bytes: 8 * MIB,
          partitions: [
            { number: 1, type: "0x07", filesystem: "ntfs", active: true, encryption: null },
            {
              number: 2,
              type: "0x27",
              filesystem: "bitlocker",
              active: false,
              encryption: "bitlocker",
              role: "recovery",
            },
          ],
        },
      ],
      systems: null,
      ports: { optical: true },
    });
  });

  test("a UEFI computer in legacy mode is told by its tables; 32-bit UEFI under a 64-bit processor by its size", () => {
    const [bios] = tables;
    const body = [...(bios?.body ?? [])];
    body[15] = 0x08;
    const legacy = plant({
      "proc/cpuinfo": "vendor_id\t: Norlight\nflags\t\t: fpu lm nx\n",
      "sys/class/dmi/id/sys_vendor": "Ostrel\n",
      "sys/firmware/dmi/entries/0-0/raw": raw({ type: 0, body: [...body, 0, 0], strings: ["a"] }),
    });
    expect(collect(shell, ["--root", legacy]).firmware).toMatchObject({ kind: "uefi", legacyMode: "on", arch: null });
    // From a live medium it says how the medium came up, not how the computer is set.
    const live = plant({
      "proc/cpuinfo": "vendor_id\t: Norlight\nflags\t\t: fpu lm nx\n",
      "proc/mounts": "rootfs / rootfs rw 0 0\nproc /proc proc rw 0 0\noverlay / overlay rw 0 0\n",
      "sys/class/dmi/id/sys_vendor": "Ostrel\n",
      "sys/firmware/dmi/entries/0-0/raw": raw({ type: 0, body: [...body, 0, 0], strings: ["a"] }),
    });
    expect(collect(shell, ["--root", live]).firmware).toMatchObject({ legacyMode: null });
    const kiosk = plant({
      "proc/cpuinfo": "vendor_id\t: Norlight\nflags\t\t: fpu lm nx\n",
      "sys/firmware/efi/fw_platform_size": "32\n",
    });
    expect(collect(shell, ["--root", kiosk]).firmware).toMatchObject({
      kind: "uefi",
      arch: "ia32",
      secureBoot: { state: null },
    });
  });

  test("a volume inside an encrypted partition counts as that partition's system", () => {
    const root = plant({
      "proc/cpuinfo": "processor\t: 0\nCPU architecture: 8\n",
      "proc/mounts": "/dev/mapper/cool\\040name / ext4 rw 0 0\n/dev/mapper/vg-root / ext4 rw 0 0\n",
      "etc/os-release": "NAME=Kittiwake\n",
      "sys/block/sda/size": "1000\n",
      "sys/block/sda/sda2/partition": "2\n",
      "sys/block/sda/sda2/start": "8\n",
      "sys/block/sda/sda2/size": "900\n",
      "sys/block/sda/sda2/holders/dm-0/x": "",
      "sys/block/dm-0/dm/name": "crypt\n",
      "sys/block/dm-0/holders/dm-1/x": "",
      "sys/block/dm-1/dm/name": "vg-root\n",
      "dev/sda2": Uint8Array.from([...Buffer.from("LUKS"), 0xba, 0xbe, 0, 2, ...new Array(600).fill(0)]),
    });
    expect(collect(shell, ["--root", root])).toMatchObject({
      cpu: { arch: "aa64" },
      systems: [{ name: "Kittiwake", partition: "sda 2" }],
      disks: [{ partitions: [{ number: 2, role: "system", encryption: "luks" }] }],
    });
  });

  test("a machine without any of these is not recorded, and no fault", () => {
    const facts = collect(shell, ["--root", plant({ "etc/empty": "" })]);
    expect(facts).toMatchObject({
      computer: { make: null },
      firmware: { kind: null },
      disks: null,
      devices: null,
      systems: null,
      memoryBytes: null,
    });
  });

  test("a file that it writes is whole, and a place that cannot be written is told", () => {
    const file = w.path(`out-${shell.length}.json`);
    spawnSync(shell[0], [...shell.slice(1), COLLECTOR, "--root", laptop, "--output", file]);
    expect(readFacts(readFileSync(file, "utf8")).ok).toBe(true);
    const failed = spawnSync(
      shell[0],
      [...shell.slice(1), COLLECTOR, "--root", laptop, "--output", "/nowhere/x.json"],
      { encoding: "utf8" },
    );
    expect([failed.status, failed.stderr.split("\n").at(-2)]).toEqual([
      1,
      "creel-collect.sh: /nowhere/x.json could not be written",
    ]);
    expect(spawnSync(shell[0], [...shell.slice(1), COLLECTOR, "--what"]).status).toBe(2);
  });

  test("nothing in the tree is changed by it", () => {
    const before = run("find", [laptop, "-printf", "%p %s %T@\n"]);
    collect(shell, ["--root", laptop]);
    expect(run("find", [laptop, "-printf", "%p %s %T@\n"])).toBe(before);
  });
});

test("with the applets of busybox alone, as in the smallest live environments", () => {
  const folder = w.path("applets");
  mkdirSync(folder);
  for (const name of [
    "sh",
    "dd",
    "od",
    "awk",
    "sed",
    "tr",
    "head",
    "cat",
    "ls",
    "cut",
    "grep",
    "date",
    "tail",
    "mv",
    "rm",
    "uname",
  ])
    symlinkSync(run("which", ["busybox"]).trim(), join(folder, name));
  const bare = w.path("bare.sh");
  // Its own PATH is put last; here nothing else may be found.
  writeFileSync(bare, readFileSync(COLLECTOR, "utf8").replace(/^PATH=.*$/m, ""));
  const { stdout, status } = spawnSync(join(folder, "sh"), [bare, "--root", laptop], {
    encoding: "utf8",
    env: { ...process.env, PATH: folder },
  });
  const whole = spawnSync("dash", [COLLECTOR, "--root", laptop], { encoding: "utf8" }).stdout;
  const timeless = (text: string) => text.replace(/"at":"[^"]*"/, "");
  expect(status).toBe(0);
  expect(timeless(stdout)).toBe(timeless(whole));
});

test("what it writes is taken as a document, and a second run adds nothing", () => {
  const { stdout } = spawnSync("dash", [COLLECTOR, "--root", laptop], { encoding: "utf8" });
  const reading = readDocument({
    name: "laptop.json",
    at: "2026-01-01T00:00:00.000Z",
    bytes: new TextEncoder().encode(stdout),
  });
  if (!reading.ok) throw new Error(reading.problem.code);
  expect(reading.observation.source.kind).toBe("collector");
  const once = applyMerge(null, NO_PROVENANCE, [reading.observation]);
  expect(once.left).toEqual([]);
  expect(once.facts.disks?.[0]?.partitions).toHaveLength(6);
  expect(applyMerge(once.facts, once.provenance, [reading.observation]).taken).toBe(0);
});
