import { type EachOf, isSentence } from "../../../test/support/sentences";
import type { BenchLine, BenchResult } from "../making/jobs/job";
import type { PackProblem } from "../making/pack/pack-read";
import { type PlanNote, type PlanProblem, WAYS } from "../making/planning/plan";
import type { DeviceFaultCode } from "../making/writing/device";
import type { TrustReason } from "../making/writing/trust";
import {
  alternativeText,
  capacityText,
  deviceFaultText,
  deviceKindText,
  lineText,
  packProblemText,
  phaseText,
  planNoteText,
  planProblemText,
  resultText,
  startKindsText,
  trustText,
  wayText,
} from "./bench";

const PROBLEMS: EachOf<PlanProblem> = {
  "not-hybrid": { code: "not-hybrid" },
  "no-files": { code: "no-files" },
  "not-optical": { code: "not-optical" },
  "stick-wanted": { code: "stick-wanted" },
  "not-for-several": { code: "not-for-several" },
  "too-many-releases": { code: "too-many-releases", most: 3 },
  "nothing-starts-it": { code: "nothing-starts-it", release: "Lantern 11" },
  "disc-too-small": { code: "disc-too-small", bytes: 7e8, neededBytes: 9e8, disc: null, larger: [] },
  "table-of-other-sectors": { code: "table-of-other-sectors", image: 512, device: 4096 },
  "sector-size": { code: "sector-size", sectorBytes: 2048 },
  "device-too-small": { code: "device-too-small", bytes: 15_970_000_000, neededBytes: 16e9 },
  "table-too-small": { code: "table-too-small", bytes: 3e12, mostBytes: 2 ** 41 },
  "bios-start-too-large": { code: "bios-start-too-large", bytes: 2e6, mostBytes: 1e6 },
  "no-table": { code: "no-table" },
  "table-full": { code: "table-full", table: "mbr" },
  "no-room-for-store": { code: "no-room-for-store", bytes: 1e6, leastBytes: 64e6 },
  "past-table-reach": { code: "past-table-reach", bytes: 3e12, mostBytes: 2 ** 41 },
  "file-too-large": { code: "file-too-large", path: "/a.wim", bytes: 5e9, mostBytes: 2 ** 32 - 1, part: "start" },
  "folder-too-large": { code: "folder-too-large", path: "/a", entries: 70_000, most: 65_534, part: "load" },
  "name-not-allowed": { code: "name-not-allowed", path: "/sub/a:b", name: "a:b", part: "start" },
  "name-too-long": { code: "name-too-long", path: "/a", characters: 300, most: 255, part: "start" },
  "same-name": { code: "same-name", path: "/A", other: "/a", part: "start" },
  "file-and-folder": { code: "file-and-folder", path: "/a", part: "start" },
  "too-small-for-format": { code: "too-small-for-format", bytes: 1e6, leastBytes: 33e6, part: "start" },
  "too-large-for-format": { code: "too-large-for-format", bytes: 3e12, mostBytes: 2e12, part: "start" },
  "does-not-fit": { code: "does-not-fit", neededBytes: 2e9, freeBytes: 1e9, part: "start" },
};

test.each(Object.entries(PROBLEMS))("why a medium cannot be made is a sentence: %s", (_code, problem) => {
  isSentence(planProblemText(problem));
});

const NOTES: EachOf<PlanNote> = {
  "system-files": { code: "system-files", bytes: 4_900_000_000, ofBytes: 5_400_000_000, isIncluded: true },
  "room-left": { code: "room-left", bytes: 12e9 },
  split: { code: "split", path: "/sources/install.wim", firstPart: "/sources/install.swm", parts: 2 },
  "no-bios-start": { code: "no-bios-start", why: "no-menu" },
  "no-uefi-start": { code: "no-uefi-start" },
  "pack-left-out": { code: "pack-left-out" },
  carried: { code: "carried", files: 2, bytes: 1e6 },
  "carried-left-out": { code: "carried-left-out", files: 1 },
  "left-out": { code: "left-out", count: 3, first: "/bin/sh", why: "link" },
  "bios-by-grub": { code: "bios-by-grub", menu: "/boot/grub/grub.cfg" },
  "bios-chooses": { code: "bios-chooses", releases: ["Lantern 12", "Bollard 5.0"] },
  "started-by": { code: "started-by", release: "Lantern 12", by: ["x64", "bios"] },
};

test("a name that a file system does not take is said, not the part of the medium that it would stand in", () => {
  expect(planProblemText(PROBLEMS["name-not-allowed"])).toBe(
    "The name “a:b” in /sub/a:b is not allowed on this file system.",
  );
});

test.each(Object.entries(NOTES))("what is worth knowing of a plan is a sentence: %s", (_code, note) => {
  isSentence(planNoteText(note));
});

test("what comes up where is said for one kind of firmware, for two, and for three", () => {
  expect(startKindsText(["bios"])).toBe("BIOS");
  expect(startKindsText(["x64", "bios"])).toBe("64-bit (x64) UEFI and BIOS");
  expect(startKindsText(["x64", "ia32", "bios"])).toBe("64-bit (x64) UEFI, 32-bit (ia32) UEFI and BIOS");
});

const FAULTS: Record<DeviceFaultCode, number | null> = {
  ...{ gone: null, "write-protected": null, "in-use": null, "read-failed": 4096, "write-failed": null },
  ...{ "no-answer": 1e6, "already-written": null },
};

test.each(Object.entries(FAULTS))("what a device answers is a sentence: %s", (code, offset) => {
  isSentence(deviceFaultText(code as DeviceFaultCode, offset));
});

const PACKS: EachOf<PackProblem> = {
  "no-pack": { code: "no-pack" },
  missing: { code: "missing", path: "/CREEL/pack.json" },
  "too-large": { code: "too-large", path: "/CREEL/pack.json", mostBytes: 4e6 },
  damaged: { code: "damaged", path: "/CREEL/pack.json" },
  "not-understood": { code: "not-understood", path: "/CREEL/pack.json", why: "Unexpected\u001b[31m end" },
  "record-not-understood": {
    ...{ code: "record-not-understood", path: "/CREEL/records.jsonl", line: 3 },
    problem: { code: "line-not-json", told: "Unexpected\u001b[31m end" },
  },
};

test.each(Object.entries(PACKS))("why what a medium says is not taken in is a sentence: %s", (_code, problem) => {
  // Nothing of what a medium says reaches a terminal as it is.
  isSentence(packProblemText(problem));
});

const TRUST: EachOf<TrustReason> = {
  counterfeit: { code: "counterfeit", trueBytes: 8e9 },
  failing: { code: "failing" },
  worn: { code: "worn", times: 1200 },
  old: { code: "old", years: 7 },
  "failed-in-use": { code: "failed-in-use", on: "2026-01-01", computer: "HO-003" },
  "batch-failed": { code: "batch-failed", batch: "B7", known: 1, failed: 1 },
  "model-failed": { code: "model-failed", known: 4, failed: 2 },
};

test.each(Object.entries(TRUST))("why a device is not relied on is a sentence: %s", (_code, reason) => {
  isSentence(trustText(reason));
});

const identity = { kind: "usb", bus: "usb", vendor: null, model: "Dart", serial: "ND1", bytes: 16e9, sectorBytes: 512 };
const LINES: EachOf<BenchLine> = {
  started: { code: "started", runner: "1.a" },
  "device-open": { code: "device-open", identity: identity as never },
  "device-is-no-store": { code: "device-is-no-store" },
  plan: { code: "plan", writtenBytes: 1e9, parts: 2, notes: [] },
  resumed: { code: "resumed", flushedBlocks: 10, verifiedBlocks: 2, blocks: 4000 },
  written: { code: "written", bytes: 1e9, ms: 9_949 },
  flushed: { code: "flushed" },
  "read-back": { code: "read-back", bytes: 1e9, ms: 61_000 },
  inspected: { code: "inspected", startPaths: ["a", "b"] },
  "as-predicted": { code: "as-predicted" },
  paused: { code: "paused" },
  cancelled: { code: "cancelled" },
  interrupted: { code: "interrupted" },
  recorded: { code: "recorded", medium: "RM-01" },
  ended: { code: "ended", result: "fault" },
};

test.each(Object.entries(LINES))("a line of a log is a sentence: %s", (_code, line) => {
  isSentence(lineText(line));
});

type Results = { [state in BenchResult["state"]]: Extract<BenchResult, { state: state }> };
const many = Array.from({ length: 9 }, (_, at) => `/file-${at} (content)`);
const RESULTS: Results = {
  verified: { state: "verified", writtenBytes: 1e9, writeRate: 1e7, readRate: 2e7, viewsAsPredicted: true },
  "not-as-predicted": { state: "not-as-predicted", expected: [], found: [] },
  differs: { state: "differs", start: 4096, lengthBytes: 512, path: null },
  wraps: { state: "wraps", trueBytes: 8e9 },
  fault: { state: "fault", phase: "write", code: "gone", offset: null },
  "source-failed": { state: "source-failed", offset: 1e6 },
  "device-changed": { state: "device-changed", what: "content" },
  "file-missing": { state: "file-missing", file: "" },
  "plan-failed": { state: "plan-failed", problems: [PROBLEMS["no-files"], PROBLEMS["no-table"]] },
  "lines-missing": { state: "lines-missing", codes: ["flushed"] },
  compared: { state: "compared", same: false, result: "damaged", damaged: many },
  sampled: { state: "sampled", same: true, by: "files", comparedBytes: 1e6, ofBytes: 1e9, damaged: [] },
  "nothing-to-compare": { state: "nothing-to-compare" },
  capacity: { state: "capacity", capacity: { state: "sound", writeRate: 1e7, readRate: 2e7 } },
};

test.each(Object.entries(RESULTS))("what came of a job is a sentence: %s", (_state, result) => {
  isSentence(resultText(result));
});

test("of many damaged files five are named, and how many more there are", () => {
  expect(resultText(RESULTS.compared)).toContain("/file-4 (content) and 4 more.");
});

test("a capacity is told with both counts, as a counterfeit is sold by one and shown in the other", () => {
  expect(capacityText({ state: "counterfeit", trueBytes: 8e9, how: "drops" })).toBe(
    "Counterfeit: it holds 8 GB (7.45 GiB), and what is written behind that is lost. Do not use it.",
  );
  isSentence(capacityText({ state: "failing", bad: [{ start: 4096, end: 8192 }] }));
  isSentence(capacityText({ state: "stopped", doneBytes: 0 }));
});

test("every way of making one has a name, another one says its table, and no phase is left without words", () => {
  expect(new Set(WAYS.map(wayText)).size).toBe(WAYS.length);
  expect(alternativeText({ way: "laid-out", store: true, table: "mbr" })).toBe(
    "partition and copy files on a fresh MBR, with a store",
  );
  for (const kind of ["usb", "card", "disk", "optical"] as const) expect(deviceKindText(kind)).toMatch(/^[a-zA-Z ]+$/);
  for (const phase of ["open", "write", "flush", "verify", "inspect"]) expect(phaseText(phase)).not.toBe("");
  expect([phaseText(null), phaseText("constructor")]).toEqual(["", ""]);
});
