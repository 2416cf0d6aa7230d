import { type Facts, factsSchema } from "@/core/computer/facts/schema";
import type { Link } from "../judging/model/schema";
import { stepText } from "../words/steps";
import { type RunSheetInput, sheetSteps } from "./run-sheet";

const holds: Link = {
  verdict: "holds",
  basis: "standard",
  changes: [],
  reasons: [{ code: "uefi-starts", file: "/EFI/BOOT/BOOTX64.EFI", place: [], arch: "x64" }],
  trace: [],
};

function input(more: Partial<RunSheetInput> = {}, facts: object = {}): RunSheetInput {
  const read: Facts = factsSchema.parse({
    schema: "creel.facts/1",
    computer: { form: "laptop" },
    firmware: { kind: "uefi", arch: "x64", keys: { setup: "F2", startMenu: "F12" } },
    disks: [{ name: "nvme0n1", bytes: 512_110_190_592, serial: "N-77", model: "Pebble" }],
    ...facts,
  });
  return {
    computer: { tag: "HO-1", name: "Desk", siteName: "Office", facts: read },
    medium: {
      tag: "RM-1",
      name: "Rescue",
      kind: "usb",
      siteName: "Office",
      lentTo: null,
      loads: ["Bollard 5.0"],
    },
    as: "usb",
    starts: holds,
    keyCard: null,
    ...more,
  };
}

const sheet = (of: RunSheetInput) =>
  sheetSteps(of).map((step) => [stepText(step).act, ...stepText(step).details].join("\n"));
const indexOf = (lines: string[], text: RegExp) => lines.findIndex((line) => text.test(line));

test("steps come in the order of the day (common practice)", () => {
  const lines = sheet(input());
  const order = [
    /^Fetch RM-1/,
    /mains power/,
    /Take out every other stick/,
    /^Attach RM-1/,
    /press F12 for the boot menu/,
    /screen stays black/,
    /nvme0n1, 512 GB \(shows as 477 GiB\), Pebble, serial N-77/,
    /erases the whole target disk/,
    /take RM-1 out/,
    /first in the boot order/,
    /Write down when HO-1/,
  ].map((text) => indexOf(lines, text));
  expect(order).not.toContain(-1);
  expect(order).toEqual([...order].sort((a, b) => a - b));
});

test("settings are changed before the medium is attached, and put back at the end", () => {
  const starts: Link = {
    ...holds,
    verdict: "holds-after-change",
    changes: [{ setting: "legacyMode", from: "on", to: "off" }],
  };
  const lines = sheet(
    input(
      { starts },
      { firmware: { kind: "uefi", arch: "x64", legacyMode: "on", keys: { setup: "Delete", startMenu: "F8" } } },
    ),
  );
  const change = indexOf(lines, /press Delete to open firmware setup. Switch legacy mode \(CSM\) off/);
  expect(change).toBeGreaterThan(0);
  expect(lines[change]).toContain("Now: on. Needed: off.");
  expect(change).toBeLessThan(indexOf(lines, /^Attach RM-1/));
  expect(indexOf(lines, /Switch legacy mode \(CSM\) on again/)).toBeGreaterThan(indexOf(lines, /take RM-1 out/));
  expect(lines.join("\n")).toContain("the entry that says UEFI");
});

test("keys that are not recorded are marked as guesses", () => {
  const lines = sheet(
    input(
      { starts: { ...holds, changes: [{ setting: "usbStart", from: "off", to: "on" }] } },
      { computer: { form: "desktop" }, firmware: { kind: "bios" } },
    ),
  ).join("\n");
  expect(lines).toContain("press Delete (a guess: the usual key)");
  expect(lines).toContain("F12, F11, F8, F9 or Esc (a guess");
  expect(lines).toContain("needs its system partition marked active");
});

test("a key card speaks for its model where the computer itself has nothing recorded, quirks and all", () => {
  const keyCard = { setup: "F1", startMenu: "F7", save: "F4", quirks: "Hold the key before switching on." };
  const changes = [{ setting: "usbStart", from: "off", to: "on" } as const];
  const lines = sheet(input({ keyCard, starts: { ...holds, changes } }, { firmware: { keys: { setup: "F2" } } })).join(
    "\n",
  );
  expect(lines).toMatch(/press F2 to open firmware setup/);
  expect(lines).toMatch(/Save with F4/);
  expect(lines).toMatch(/press F7 for the boot menu/);
  expect(lines).toMatch(/Hold the key before switching on/);
});

test("where the recovery key of encrypted content is kept is on the sheet", () => {
  const partition = (number: number, keyPlace: string | null) => ({ number, bytes: 1, encryption: "luks", keyPlace });
  const disks = [{ name: "sda", bytes: 5, partitions: [partition(1, "Safe, envelope 7"), partition(2, null)] }];
  expect(sheet(input({}, { disks })).join("\n")).toMatch(/sda 1: Safe, envelope 7\nsda 2: key location not recorded/);
});

test("what is not recorded is said, not invented", () => {
  const lines = sheet(
    input(
      { medium: { tag: "RM-1", name: null, kind: "usb", siteName: null, lentTo: null, loads: [] } },
      { disks: null },
    ),
  ).join("\n");
  expect(lines).toContain("Site not recorded.");
  expect(lines).toContain("Disks not recorded");
});

test("a disc goes into a drive, an external one where there is none", () => {
  expect(sheet(input({ as: "optical" })).join("\n")).toContain("Put RM-1 into the optical drive.");
  expect(
    sheet(
      input({
        as: "optical",
        starts: { ...holds, changes: [{ setting: "opticalDrive", from: "none", to: "external" }] },
      }),
    ).join("\n"),
  ).toContain("Attach an external optical drive");
});
