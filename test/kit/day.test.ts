import { execFileSync } from "node:child_process";
import { copyFileSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import { inspect } from "@/core/medium/inspection/inspect";
import { startPathsOf } from "@/core/medium/inspection/start-paths";
import { FileSource } from "@/server/host/file-source";
import { run } from "../../scripts/media/workshop";
import { putVolume, volumeOf } from "../support/disks";
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
  putVolume(w, disk, 1, 40, (image) => {
    run("mkfs.fat", ["-F", "32", "-s", "1", image]);
  });
  putVolume(w, disk, 41, 150, (image) => {
    run("mke2fs", ["-q", "-t", "ext4", image]);
    run("debugfs", ["-w", "-R", `write ${FILE} log`, image]);
  });
  return disk;
}

/** A stick with a store. */
function storeStick(name: string): string {
  const stick = w.blank(name, 400);
  run("sgdisk", ["-n", "1:2048:0", "-t", "1:0700", stick]);
  putVolume(w, stick, 1, 399, (image) => {
    run("mkfs.exfat", [image]);
  });
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
type Step = [see: RegExp, press: string | { disk: string }];

async function at(computer: AtConsole, steps: readonly Step[]): Promise<void> {
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

/** Does something at a computer, to its end; then its power is cut. */
async function atComputer(options: readonly string[], act: (computer: AtConsole) => Promise<void>): Promise<void> {
  const computer = startComputer(options);
  try {
    await act(computer);
  } finally {
    await computer.cut();
  }
}

const [OLD, NEW] = ["OLD-4471", "NEW-9902"];
const HOME = /Press a number\./;
const TYPED = /> /;
const SURVEY: Step[] = [
  [HOME, "1"],
  [/Report saved: /, "\r"],
];
const SAVE: Step[] = [
  [HOME, "2"],
  [/Select a disk/, { disk: OLD }],
  [/Start saving\?/, "y"],
  [/Saved and verified: /, "\r"],
];
const CHOOSE: Step[] = [
  [HOME, "3"],
  [/Select an image/, "1"],
  [/Select a disk/, { disk: NEW }],
];

test(
  "surveyed, saved, restored onto a larger disk",
  async () => {
    const [old, fresh, stick] = [systemDisk("old.img"), w.blank("new.img", 300), storeStick("stick.img")];
    const disks = ahci([
      [old, OLD],
      [fresh, NEW],
    ]);
    await atComputer([...AT_ONCE, ...SMBIOS, ...disks, ...usb(stick)], async (computer) => {
      await computer.sees(HOME);
      expect(computer.shown()).toMatch(/Harbour B240, serial HB-7781/);
      expect(computer.shown()).toMatch(/sd[ab], 210 MB, QEMU HARDDISK, serial OLD-4471/);
      await at(computer, [...SURVEY, ...SAVE, ...CHOOSE]);
      await computer.sees(/type the last 4 characters of its serial/);
      expect(computer.shown()).toMatch(/Restoring erases everything on sd[ab], 315 MB/);
      await at(computer, [
        [TYPED, "4471\r"],
        [/No match\. Nothing was written\./, "\r"],
        ...CHOOSE,
        [TYPED, "9902\r"],
        [/Restored and verified: /, "\r"],
        [HOME, "0"],
      ]);
      await computer.ended;
    });
    expect(run("sgdisk", ["-v", fresh])).toContain("No problems found");
    const back = volumeOf(fresh, 41, 150);
    run("e2fsck", ["-fn", back]);
    expect(Buffer.compare(dumped(back), readFileSync(FILE))).toBe(0);
    // The disk that was saved was only read.
    run("e2fsck", ["-fn", volumeOf(old, 41, 150)]);
    expect(run("fsck.exfat", ["-n", volumeOf(stick, 1, 399)])).toContain("clean");
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
const STARTED = {
  BIOS: /Firmware +BIOS/,
  "UEFI x64, Secure Boot": /Firmware +UEFI, Secure Boot on/,
  "UEFI ia32": /Firmware +UEFI/,
};

(isWholeDay ? test.each : test.skip.each)(Object.entries(firmware))(
  "it starts by %s",
  async (name, options) => {
    await atComputer(["-machine", "q35,smm=on", ...options, ...usb(kit.iso, ",bootindex=1")], async (computer) => {
      await computer.sees(HOME);
      expect(computer.shown()).toMatch(STARTED[name as keyof typeof STARTED]);
    });
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
  putVolume(w, disk, 1, 80, (esp) => {
    run("mkfs.fat", ["-F", "32", "-s", "1", esp]);
    run("mmd", ["-i", esp, "::/EFI", "::/EFI/debian"]);
    run("mcopy", ["-i", esp, loader, "::/EFI/debian/grubx64.efi"]);
    run("mcopy", ["-i", esp, kit.kernel, "::/kernel"]);
    run("mcopy", ["-i", esp, w.path("small.cpio"), "::/small"]);
  });
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
    const disks = ahci([
      [old, OLD],
      [fresh, NEW],
    ]);
    await atComputer([...AT_ONCE, ...uefi, ...SMBIOS, ...disks, ...usb(stick)], async (computer) => {
      await at(computer, [...SAVE, ...CHOOSE, [TYPED, "9902\r"]]);
      await computer.sees(/Restored and verified: /);
      expect(computer.shown()).toMatch(/First in the boot order now: \\EFI\\debian\\grubx64\.efi on this disk\./);
      await at(computer, [
        [/go back/, "\r"],
        [HOME, "0"],
      ]);
      await computer.ended;
    });
    await atComputer(["-machine", "q35", ...uefi, ...ahci([[fresh, NEW]])], (computer) =>
      computer.sees(/THE SYSTEM IS UP/),
    );
  },
  DAY_MS,
);

(isWholeDay ? test : test.skip)("the same packages make the same bytes", () => {
  const again = w.path("again.iso");
  execFileSync(process.execPath, ["scripts/kit.mjs", "--out", again], { stdio: "pipe" });
  expect(readFileSync(again).equals(readFileSync(kit.iso))).toBe(true);
});
