import { execFileSync } from "node:child_process";
import { copyFileSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { inspect } from "@/core/medium/inspection/inspect";
import { startPathsOf } from "@/core/medium/inspection/start-paths";
import { FileSource } from "@/server/host/file-source";
import { run } from "../../scripts/media/workshop";
import { type AtConsole, builtKit, startComputer } from "../support/kit-guest";
import { tempWorkshop } from "../support/workshop";

// A technician's day on a computer that does not start, under real firmware in QEMU. References: sgdisk, e2fsck, fsck.fat.
// The rest of it is in `npm run kit-day`.
const isWholeDay = process.env.CREEL_KIT_DAY === "1";
const w = tempWorkshop();
const kit = builtKit(w.folder);
const DAY_MS = 900_000;

const MIB = 1 << 20;
const FILE = w.text("log", "left the pier at 08:10\n".repeat(200_000));

/** A disk with start files and a system, of so many megabytes. */
function systemDisk(name: string): string {
  const disk = w.blank(name, 200);
  run("sgdisk", ["-n", "1:2048:+40M", "-t", "1:ef00", "-n", "2:0:+150M", "-t", "2:8300", disk]);
  const part = (start: number, size: number, make: (image: string) => void) => {
    const image = w.blank("part.img", size);
    make(image);
    run("dd", [`if=${image}`, `of=${disk}`, "bs=1M", `seek=${start}`, "conv=notrunc"]);
  };
  part(1, 40, (image) => {
    run("mkfs.fat", ["-F", "32", "-s", "1", image]);
  });
  part(41, 150, (image) => {
    run("mke2fs", ["-q", "-t", "ext4", image]);
    run("debugfs", ["-w", "-R", `write ${FILE} log`, image]);
  });
  return disk;
}

/** A stick with a store. */
function storeStick(name: string): string {
  const stick = w.blank(name, 400);
  const store = w.blank("store.img", 399);
  run("sgdisk", ["-n", "1:2048:0", "-t", "1:0700", stick]);
  run("mkfs.exfat", [store]);
  run("dd", [`if=${store}`, `of=${stick}`, "bs=1M", "seek=1", "conv=notrunc"]);
  return stick;
}

const AT_ONCE = [
  "-machine",
  "q35",
  "-kernel",
  kit.kernel,
  "-initrd",
  kit.initrd,
  "-append",
  "console=ttyS0 quiet panic=-1",
];
const SMBIOS = ["-smbios", "type=1,manufacturer=Harbour,product=B240,serial=HB-7781"];
const ahci = (disks: [file: string, serial: string][]) => [
  ...["-device", "ahci,id=ahci"],
  ...disks.flatMap(([file, serial], at) => [
    ...["-drive", `file=${file},format=raw,if=none,id=disk${at}`],
    ...["-device", `ide-hd,drive=disk${at},bus=ahci.${at},serial=${serial}`],
  ]),
];
const usb = (file: string, more = "") => [
  ...["-device", "qemu-xhci", "-drive", `file=${file},format=raw,if=none,id=stick`],
  ...["-device", `usb-storage,drive=stick,removable=on${more}`],
];

/** What to press: keys, or the number beside the disk with this serial, since disks come in no certain order. */
type Press = string | { disk: string };

async function at(computer: AtConsole, steps: [see: RegExp, press: Press][]): Promise<void> {
  for (const [see, press] of steps) {
    await computer.sees(see);
    if (typeof press === "string") computer.press(press);
    else {
      const beside = new RegExp(`^ +(\\d) .*serial ${press.disk}`, "m");
      await computer.sees(beside);
      computer.press(beside.exec(computer.shown())?.[1] ?? "");
    }
  }
}

const HOME = /Press a number\./;

test(
  "surveyed, saved, restored onto a larger disk",
  async () => {
    const [old, fresh, stick] = [systemDisk("old.img"), w.blank("new.img", 300), storeStick("stick.img")];
    const computer = startComputer([
      ...AT_ONCE,
      ...SMBIOS,
      ...ahci([
        [old, "OLD-4471"],
        [fresh, "NEW-9902"],
      ]),
      ...usb(stick),
    ]);
    try {
      await computer.sees(HOME);
      expect(computer.shown()).toMatch(/Harbour B240, serial HB-7781/);
      expect(computer.shown()).toMatch(/sd[ab], 210 MB, QEMU HARDDISK, serial OLD-4471/);
      await at(computer, [
        [HOME, "1"],
        [/The report is on the medium/, "\r"],
        [HOME, "2"],
        [/Which disk\?/, { disk: "OLD-4471" }],
        [/Begin\?/, "y"],
        [/Saved and read back/, "\r"],
        [HOME, "3"],
        [/Which image\?/, "1"],
        [/Which disk\?/, { disk: "NEW-9902" }],
      ]);
      await computer.sees(/type the last 4 characters of its serial/);
      expect(computer.shown()).toMatch(/Everything on sd[ab], 315 MB/);
      await at(computer, [
        [/> /, "4471\r"],
        [/That is not it\. Nothing was written\./, "\r"],
        [HOME, "3"],
        [/Which image\?/, "1"],
        [/Which disk\?/, { disk: "NEW-9902" }],
        [/> /, "9902\r"],
        [/Restored: .* written and read back/, "\r"],
        [HOME, "0"],
      ]);
      await computer.ended;
    } finally {
      await computer.cut();
    }
    expect(run("sgdisk", ["-v", fresh])).toContain("No problems found");
    run("dd", [`if=${fresh}`, `of=${w.path("back.img")}`, "bs=1M", "skip=41", "count=150"]);
    run("e2fsck", ["-fn", w.path("back.img")]);
    expect(Buffer.compare(dumped(w.path("back.img")), readFileSync(FILE))).toBe(0);
    // The disk that was saved was only read.
    run("dd", [`if=${old}`, `of=${w.path("old-part.img")}`, "bs=1M", "skip=41", "count=150"]);
    run("e2fsck", ["-fn", w.path("old-part.img")]);
    run("dd", [`if=${stick}`, `of=${w.path("store.img")}`, "bs=1M", "skip=1"]);
    expect(run("fsck.exfat", ["-n", w.path("store.img")])).toContain("clean");
  },
  DAY_MS,
);

function dumped(image: string): Buffer {
  const out = w.path("dumped");
  rmSync(out, { force: true });
  run("debugfs", ["-R", `dump log ${out}`, image]);
  return readFileSync(out);
}

test("it reads as what it is: who signed it, and what it starts", async () => {
  const source = await FileSource.open(kit.iso);
  try {
    const { inspection } = await inspect(source, { name: "kit.iso", sha256: null, depth: "quick", sectorBytes: 512 });
    const startPaths = startPathsOf(inspection);
    const found = startPaths.map(({ firmware, arch, as }) => `${firmware} ${arch} ${as}`);
    for (const path of ["uefi x64 usb", "uefi x64 optical", "uefi ia32 usb", "bios x86 usb", "bios x86 optical"])
      expect(found).toContain(path);
    const signed = startPaths.find(({ firmware, arch }) => firmware === "uefi" && arch === "x64");
    expect(JSON.stringify(signed)).toContain("Microsoft");
    expect(source.sizeBytes).toBeLessThan(300 * MIB);
  } finally {
    await source.close();
  }
});

const firmware = {
  BIOS: [],
  "UEFI x64, Secure Boot": [
    ...["-global", "driver=cfi.pflash01,property=secure,value=on"],
    ...["-drive", "if=pflash,format=raw,readonly=on,file=/usr/share/OVMF/OVMF_CODE_4M.secboot.fd"],
    ...["-drive", "if=pflash,format=raw,snapshot=on,file=/usr/share/OVMF/OVMF_VARS_4M.ms.fd"],
  ],
  "UEFI ia32": [
    ...["-global", "driver=cfi.pflash01,property=secure,value=on"],
    ...["-drive", "if=pflash,format=raw,readonly=on,file=/usr/share/OVMF/OVMF32_CODE_4M.secboot.fd"],
    ...["-drive", "if=pflash,format=raw,snapshot=on,file=/usr/share/OVMF/OVMF32_VARS_4M.fd"],
  ],
};
const STARTED = { BIOS: /by BIOS/, "UEFI x64, Secure Boot": /by UEFI, Secure Boot on/, "UEFI ia32": /by UEFI/ };

(isWholeDay ? test.each : test.skip.each)(Object.entries(firmware))(
  "it starts by %s",
  async (name, options) => {
    const computer = startComputer(["-machine", "q35,smm=on", ...options, ...usb(kit.iso, ",bootindex=1")]);
    try {
      await computer.sees(HOME);
      expect(computer.shown()).toMatch(STARTED[name as keyof typeof STARTED]);
    } finally {
      await computer.cut();
    }
  },
  DAY_MS,
);

/** A disk with a small installed system, which starts only by its entry in the firmware's list. */
function startingDisk(name: string): string {
  const disk = w.blank(name, 200);
  run("sgdisk", ["-n", "1:2048:+80M", "-t", "1:ef00", "-n", "2:0:+100M", "-t", "2:8300", disk]);
  const root = w.path("small");
  mkdirSync(join(root, "bin"), { recursive: true });
  const packages = join(".creel", "kit", "packages");
  const busybox = readdirSync(packages).find((each) => each.startsWith("busybox-static_")) ?? "";
  copyFileSync(join(packages, busybox, "bin", "busybox"), join(root, "bin", "busybox"));
  const init = "#!/bin/busybox sh\n/bin/busybox echo THE SYSTEM IS UP\n/bin/busybox poweroff -f\n";
  writeFileSync(join(root, "init"), init, { mode: 0o755 });
  run("sh", ["-c", `cd ${root} && find . | cpio -o -H newc --quiet > ${w.path("small.cpio")}`]);
  const menu =
    "insmod part_gpt\ninsmod fat\nsearch --file --set=root /kernel\nlinux /kernel console=ttyS0 quiet panic=-1\ninitrd /small\nboot\n";
  const loader = w.path("grubx64.efi");
  run("grub-mkstandalone", ["-O", "x86_64-efi", "-o", loader, `boot/grub/grub.cfg=${w.text("grub.cfg", menu)}`]);
  const esp = w.blank("esp.img", 80);
  run("mkfs.fat", ["-F", "32", "-s", "1", esp]);
  run("mmd", ["-i", esp, "::/EFI", "::/EFI/debian"]);
  run("mcopy", ["-i", esp, loader, "::/EFI/debian/grubx64.efi"]);
  run("mcopy", ["-i", esp, kit.kernel, "::/kernel"]);
  run("mcopy", ["-i", esp, w.path("small.cpio"), "::/small"]);
  run("dd", [`if=${esp}`, `of=${disk}`, "bs=1M", "seek=1", "conv=notrunc"]);
  return disk;
}

(isWholeDay ? test : test.skip)(
  "what is restored onto an empty, larger disk starts by itself: its entry is in the firmware's list",
  async () => {
    const [old, fresh, stick] = [startingDisk("starts.img"), w.blank("empty.img", 320), storeStick("stick2.img")];
    const variables = w.path("variables.fd");
    copyFileSync("/usr/share/OVMF/OVMF_VARS_4M.fd", variables);
    const uefi = [
      ...["-drive", "if=pflash,format=raw,readonly=on,file=/usr/share/OVMF/OVMF_CODE_4M.fd"],
      ...["-drive", `if=pflash,format=raw,file=${variables}`],
    ];
    const disks: [string, string][] = [
      [old, "OLD-4471"],
      [fresh, "NEW-9902"],
    ];
    const computer = startComputer([...AT_ONCE, ...uefi, ...SMBIOS, ...ahci(disks), ...usb(stick)]);
    try {
      await at(computer, [
        [HOME, "2"],
        [/Which disk\?/, { disk: "OLD-4471" }],
        [/Begin\?/, "y"],
        [/Saved and read back/, "\r"],
        [HOME, "3"],
        [/Which image\?/, "1"],
        [/Which disk\?/, { disk: "NEW-9902" }],
        [/> /, "9902\r"],
      ]);
      await computer.sees(/Restored: .* written and read back/);
      expect(computer.shown()).toMatch(/The firmware now starts \\EFI\\debian\\grubx64\.efi from this disk\./);
      await at(computer, [
        [/go back/, "\r"],
        [HOME, "0"],
      ]);
      await computer.ended;
    } finally {
      await computer.cut();
    }
    const after = startComputer(["-machine", "q35", ...uefi, ...ahci([[fresh, "NEW-9902"]])]);
    try {
      await after.sees(/THE SYSTEM IS UP/);
    } finally {
      await after.cut();
    }
  },
  DAY_MS,
);

(isWholeDay ? test : test.skip)("the same packages make the same bytes", () => {
  const again = w.path("again.iso");
  execFileSync(process.execPath, ["scripts/kit.mjs", "--out", again], { stdio: "pipe" });
  expect(readFileSync(again).equals(readFileSync(kit.iso))).toBe(true);
});
