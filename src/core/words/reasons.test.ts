import { type EachOf, isSentence } from "../../../test/support/sentences";
import type { Reason } from "../judging/model/reasons";
import { changeSchema } from "../judging/model/schema";
import { changeText, changeWithKeyText, neededText, reasonText } from "./reasons";

const [release, on, file] = ["Bollard 5.0", "2026-03-01", "/EFI/BOOT/BOOTX64.EFI"];
const gpt = [{ kind: "gpt", number: 1 }] as never;
const disk = "nvme0n1";

const REASONS: EachOf<Reason> = {
  // Starts
  "uefi-starts": { code: "uefi-starts", file, place: gpt, arch: "x64" },
  "bios-starts": { code: "bios-starts", program: "grub" as never },
  "no-loader": { code: "no-loader", arch: "x64", path: file, others: [] },
  "loader-damaged": { code: "loader-damaged", file, faults: [] },
  "loader-machine": { code: "loader-machine", file, machine: "ia32" },
  "second-stage-missing": { code: "second-stage-missing", file, expected: "grubx64.efi" },
  "second-stage-damaged": { code: "second-stage-damaged", file },
  "second-stage-machine": { code: "second-stage-machine", file, machine: "0x1c2" },
  "fallback-first": { code: "fallback-first", file },
  "fallback-names-none": { code: "fallback-names-none", file, expected: "/EFI/*/BOOTX64.CSV" },
  "next-missing": { code: "next-missing", file, expected: "/EFI/kit/next.efi" },
  "no-boot-entry": { code: "no-boot-entry", file, expected: "/loader/entries/*.conf" },
  "kernel-missing": { code: "kernel-missing", file },
  "next-asks": { code: "next-asks", file, next: "/EFI/BOOT/next.efi" },
  "bios-stops": { code: "bios-stops", step: null },
  "bios-not-known": { code: "bios-not-known", step: null },
  "fact-missing": { code: "fact-missing", fact: "firmware.kind" },
  "loader-allowed": { code: "loader-allowed", file, by: "firmware", how: { by: "digest" } as never },
  "loader-not-allowed": { code: "loader-not-allowed", file, by: "itself", refusal: { why: "sbat-missing" } },
  "loader-not-decided": { code: "loader-not-decided", file, by: "firmware", undecided: "db" },
  "secure-boot-off-would-start": { code: "secure-boot-off-would-start" },
  "platform-recovery": { code: "platform-recovery" },
  "signer-ended": { code: "signer-ended", signer: "Norlight 2011", on },
  "secure-boot-blocks-nothing": { code: "secure-boot-blocks-nothing" },
  lenient: { code: "lenient", leniency: "partition-type" as never },
  "bios-lenient": { code: "bios-lenient", leniency: "no-active-partition" },
  "legacy-entry-would-start": { code: "legacy-entry-would-start" },
  "legacy-mode-on": { code: "legacy-mode-on" },
  "read-as-folder": { code: "read-as-folder" },
  "legacy-mode-would-start": { code: "legacy-mode-would-start", to: "off" },
  "other-attachment-would-start": { code: "other-attachment-would-start", to: "optical" },
  "usb-start-off": { code: "usb-start-off" },
  "fast-boot-on": { code: "fast-boot-on" },
  "internal-disk-first": { code: "internal-disk-first" },
  "no-optical-drive": { code: "no-optical-drive" },
  "no-usb-port": { code: "no-usb-port" },
  "medium-fault": { code: "medium-fault", fault: { code: "gpt-backup-missing" } },
  "medium-not-read": { code: "medium-not-read" },
  "needs-inventory": { code: "needs-inventory" },
  // At hand
  "medium-place-unknown": { code: "medium-place-unknown" },
  "computer-place-unknown": { code: "computer-place-unknown" },
  "medium-at-site": { code: "medium-at-site", site: "Head office" },
  "medium-elsewhere": { code: "medium-elsewhere", site: "Sandsay", computerSite: "Head office" },
  "medium-lent": { code: "medium-lent", to: "Col Marrick" },
  "medium-retired": { code: "medium-retired" },
  "medium-worn": { code: "medium-worn" },
  "medium-distrusted": { code: "medium-distrusted" },
  "copy-at-site": { code: "copy-at-site", medium: "RM-02" },
  "medium-is-file": { code: "medium-is-file" },
  // Sees
  "raid-set-breaks": { code: "raid-set-breaks" },
  "driver-to-load": { code: "driver-to-load", driver: "stor.inf", device: "8086:282a" },
  "own-port-not-driven": { code: "own-port-not-driven", device: "8086:a0ed" },
  "system-disk-open": { code: "system-disk-open", disks: [disk, "sda"] },
  "disk-in-set": { code: "disk-in-set", disk, set: "lvm" },
  "disk-too-small-to-install": { code: "disk-too-small-to-install", disk, bytes: 32e9, needed: 64e9 },
  "setup-password-place-unknown": { code: "setup-password-place-unknown" },
  "store-key-kept": { code: "store-key-kept", store: "Disk 3", place: "in the safe" },
  "store-key-unknown": { code: "store-key-unknown", store: "Disk 3" },
  "entry-computer-unknown": { code: "entry-computer-unknown" },
  "entry-of-other": { code: "entry-of-other", computer: "HO-2" },
  "entry-lost": { code: "entry-lost" },
  "entry-on-disk": { code: "entry-on-disk" },
  "entry-starts": { code: "entry-starts" },
  "factory-fits": { code: "factory-fits", release, of: "Corvane Slate 14" },
  "factory-other-model": { code: "factory-other-model", release, of: "Corvane Slate 14" },
  "table-has-backup": { code: "table-has-backup", disk },
  "table-is-searched": { code: "table-is-searched", disk },
  "system-partition-fits": { code: "system-partition-fits", partition: "sda 3", bytes: 120e9, needed: 100e9 },
  "system-partition-too-small": { code: "system-partition-too-small", partition: "sda 3", bytes: 90e9, needed: 100e9 },
  "system-partition-size": { code: "system-partition-size", of: "image" },
  "filesystems-open": { code: "filesystems-open", release, filesystems: ["veracrypt"] },
  "mbr-limit": { code: "mbr-limit", disk, bytes: 2 ** 32 * 512 },
  "other-target": { code: "other-target", disk: "sda", bytes: 256e9 },
  "lineage-other-computer": { code: "lineage-other-computer", image: "HO-2 2026-01-01", computer: "HO-2" },
  "image-on-second-disk": { code: "image-on-second-disk", disk: "sda" },
  "image-disk-open": { code: "image-disk-open" },
  "share-only": { code: "share-only", image: "HO-1 2026-01-01" },
  "store-not-recorded": { code: "store-not-recorded", medium: "SP-09" },
  "store-not-usable": { code: "store-not-usable", medium: "SP-01" },
  "included-newer": { code: "included-newer", runs: "11.4", included: "11.5" },
  "language-differs": { code: "language-differs", runs: "en-GB", included: "nb-NO" },
  "disk-empty": { code: "disk-empty" },
  "repair-other-mode": { code: "repair-other-mode", starts: "bios", installed: "uefi" },
  "mode-stays": { code: "mode-stays", mode: "bios" },
  "filesystems-not-read": { code: "filesystems-not-read", release, filesystems: ["ext4"], all: true },
  "release-not-recorded": { code: "release-not-recorded" },
  "release-drivers-unknown": { code: "release-drivers-unknown", release },
  "no-controller-known": { code: "no-controller-known" },
  "no-adapter-known": { code: "no-adapter-known" },
  "controllers-driven": {
    ...{ code: "controllers-driven", release, disk },
    drivers: [{ device: "NVMe 1", driver: "nvme" }],
  },
  "controllers-driven-in-part": { code: "controllers-driven-in-part", release, disk: null, missing: ["SATA 2"] },
  "controller-not-driven": { code: "controller-not-driven", release, disk, device: "RAID 1", whole: true },
  "driver-elsewhere": { code: "driver-elsewhere", driver: "nlstor.inf", release, medium: null },
  "raid-mode-could-be-off": { code: "raid-mode-could-be-off" },
  "input-not-driven": { code: "input-not-driven", device: "touch" },
  "no-input-driven": { code: "no-input-driven", device: "touch" },
  "adapter-driven": { code: "adapter-driven", release, device: "wired", driver: "e1000e" },
  "adapter-not-driven": { code: "adapter-not-driven", release, device: "wired" },
  // Restores
  "nothing-to-restore": { code: "nothing-to-restore", release },
  "image-fact-missing": { code: "image-fact-missing", fact: "mode" },
  "image-mode-same": { code: "image-mode-same", mode: "uefi" },
  "image-mode-converted": { code: "image-mode-converted", release, from: "bios", to: "uefi" },
  "image-mode-other": { code: "image-mode-other", image: "bios", computer: "uefi" },
  "target-large-enough": { code: "target-large-enough", disk, bytes: 5e11, needed: 2.5e11 },
  "target-too-small": { code: "target-too-small", disk, bytes: 2.4e11, needed: 2.5e11 },
  "sectors-differ": { code: "sectors-differ", disk, bytes: 4096, image: 512 },
  "image-disk-placed": { code: "image-disk-placed", of: "sdb", disk: "sdc", bytes: 1e12 },
  "image-disk-left": { code: "image-disk-left", disk: "sdb" },
  "image-disk-without-place": { code: "image-disk-without-place", of: "sdb", bytes: 1e12, isNeeded: true },
  "image-disk-size-unknown": { code: "image-disk-size-unknown", of: "sdb" },
  "image-disk-unsure": { code: "image-disk-unsure", of: "sdb", disk: "sdb" },
  "image-in-parts": { code: "image-in-parts", of: 2 },
  "image-part-missing": { code: "image-part-missing", image: "HO-1 2026-01-01", number: 2, of: 2 },
  "image-starts-again": { code: "image-starts-again" },
  "image-start-elsewhere": { code: "image-start-elsewhere", disk: "sda" },
  "image-lacks": { code: "image-lacks", lacks: ["esp", "system"] },
  "image-roles-unknown": { code: "image-roles-unknown", lacks: ["active"] },
  "lineage-whole": { code: "lineage-whole", parts: 3 },
  "lineage-broken": { code: "lineage-broken", image: "HO-1 2026-01-01", parent: null },
  "image-damaged": { code: "image-damaged", image: "HO-1 2026-01-01", on },
  "image-lost": { code: "image-lost", image: "HO-1 2026-01-01" },
  "image-unverified": { code: "image-unverified", image: "HO-1 2026-01-01" },
  "image-opens": { code: "image-opens", release, kit: "Lantern" },
  "image-kit-other": { code: "image-kit-other", release, kit: "Lantern" },
  "image-kit-newer": { code: "image-kit-newer", release, kit: "Lantern", version: "13" },
  "hardware-moves": { code: "hardware-moves", release },
  "hardware-other": { code: "hardware-other", image: "HO-1 2026-01-01", release },
  "key-kept": { code: "key-kept", place: "the safe at Head office" },
  "key-place-unknown": { code: "key-place-unknown", partition: "nvme0n1 2" },
  "image-on-medium": { code: "image-on-medium", medium: "ST-01" },
  "image-elsewhere": { code: "image-elsewhere", place: { on: "disk", name: "Blue", site: null } },
  "image-on-share": { code: "image-on-share", share: "vault" },
  "share-not-reached": { code: "share-not-reached", share: "vault", release },
  "share-not-here": { code: "share-not-here", share: "vault", site: "Sandsay" },
  "share-reach-unknown": { code: "share-reach-unknown", share: "vault" },
  "image-on-own-disk": { code: "image-on-own-disk" },
  "no-image-recorded": { code: "no-image-recorded" },
  "release-systems-unknown": { code: "release-systems-unknown", release },
  "nothing-included": { code: "nothing-included", release },
  "included-fits": { code: "included-fits", included: "Gannet Desk 11" },
  "included-older": { code: "included-older", runs: "Gannet Desk 11", included: "Gannet Desk 10" },
  "system-differs": { code: "system-differs", fact: "family", runs: "linux", included: "windows" },
  "system-fact-missing": { code: "system-fact-missing", fact: "edition", system: "Gannet Desk 11" },
  "included-fact-missing": { code: "included-fact-missing", fact: "language", included: "Gannet Desk 11" },
  "release-fact-missing": { code: "release-fact-missing", fact: "family", release },
  "environment-other-family": { code: "environment-other-family", release, family: "Linux", system: "Gannet Desk" },
  "environment-older": { code: "environment-older", release, system: "Gannet Desk 11" },
  "environment-not-older": { code: "environment-not-older", release },
  "environment-cannot-service": {
    ...{ code: "environment-cannot-service", release, arch: "ia32", system: "x64", wide: true },
  },
  "system-age-unknown": { code: "system-age-unknown", system: "Gannet Desk 11" },
  repairs: { code: "repairs", release },
  rescues: { code: "rescues", release },
  // Proven
  "no-drill-recorded": { code: "no-drill-recorded" },
  "no-proof-asked": { code: "no-proof-asked" },
  "drill-on-model-only": { code: "drill-on-model-only", on, computer: "HO-002" },
  "drill-emulated": { code: "drill-emulated", on, started: false },
  "drill-good": { code: "drill-good", on, computer: null, restored: true },
  "drill-failed": { code: "drill-failed", on, computer: "HO-002" },
  "drill-before-writing": { code: "drill-before-writing", on, written: "2026-03-02" },
  "drill-other-firmware": { code: "drill-other-firmware", on, was: "1.0", is: "1.1" },
  "drill-old": { code: "drill-old", on, days: 400, most: 365 },
  "never-verified": { code: "never-verified" },
  "verification-good": { code: "verification-good", on },
  "verification-sampled": { code: "verification-sampled", on, sampled: "2026-09-01" },
  "verification-failed": { code: "verification-failed", on },
  "verified-before-writing": { code: "verified-before-writing", on, written: "2026-03-02" },
  "verification-old": { code: "verification-old", on, days: 200, most: 180 },
};

test.each(Object.entries(REASONS))("a reason is a sentence: %s", (_code, facts) => {
  isSentence(reasonText(facts));
});

test("a family is said as the trade writes it", () => {
  expect(reasonText(REASONS["system-differs"])).toBe(
    "The computer's system is of the family Linux; what is included is of the family Windows, which its licence does not cover.",
  );
});

test.each(changeSchema.shape.setting.options)("a change is an act for a run sheet: %s", (setting) => {
  const text = changeText({ setting, from: "off", to: "on" });
  expect(text).toMatch(/^[A-Z][^.]*[^. ]$/);
  // The names of settings in programs are not those that people know.
  expect(text).not.toMatch(/[a-z][A-Z]/);
});

test("a change in set-up is told with the key that opens it, one at start-up with that of the start menu", () => {
  const keys = { setup: "F2", startMenu: "F12" };
  const told = (setting: "secureBoot" | "startOrder" | "drill", own: typeof keys | null = keys) =>
    changeWithKeyText({ setting, from: "on", to: "off" }, own);
  expect(told("secureBoot")).toBe("Switch Secure Boot off (F2)");
  expect(told("startOrder")).toMatch(/ \(F12\)$/);
  expect(told("drill")).toBe("Run a drill");
  expect(told("secureBoot", null)).toBe("Switch Secure Boot off");
});

test("what a medium needs for a computer is said as far as its firmware is known", () => {
  isSentence(neededText({ kind: null, arch: null, legacyMode: null }));
  expect(neededText({ kind: "uefi", arch: "aa64", legacyMode: "off" })).toContain("/EFI/BOOT/BOOTAA64.EFI");
  expect(neededText({ kind: "uefi", arch: "x64", legacyMode: "on" })).toContain("BIOS boot code");
});
