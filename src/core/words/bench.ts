import type { StartKind } from "../judging/model/start-kind";
import type { BenchLine, BenchResult } from "../making/jobs/job";
import type { PackProblem } from "../making/pack/pack-read";
import type { Alternative, PlanNote, PlanProblem, Way } from "../making/planning/plan";
import type { ProposedReason } from "../making/planning/propose";
import type { CapacityResult } from "../making/writing/capacity";
import type { DeviceFaultCode, DeviceKind } from "../making/writing/device";
import type { TrustReason } from "../making/writing/trust";
import { dayText } from "./dates";
import { archText } from "./firmware";
import { lineProblemText } from "./imports";
import { changeText, reasonText } from "./reasons";
import { binaryText, bytesText } from "./sizes";
import { visible } from "./visible";

/** How a medium is made, in a few words. */
export function wayText(way: Way): string {
  switch (way) {
    case "as-it-is":
      return "raw copy";
    case "as-it-is-with-store":
      return "raw copy plus store";
    case "laid-out":
      return "partition and copy files";
    case "disc":
      return "an optical disc";
  }
}

/** Another way that would do on the same device, in a few words. */
export function alternativeText({ way, store, table }: Alternative): string {
  if (way !== "laid-out") return wayText(way);
  return `${wayText(way)} on a fresh ${table.toUpperCase()}${store ? ", with a store" : ""}`;
}

/** What a device is, with its article. */
export function deviceKindText(kind: DeviceKind): string {
  return { usb: "USB stick", card: "memory card", disk: "external disk", optical: "blank disc" }[kind];
}

function both(bytes: number): string {
  return `${bytesText(bytes)} (${binaryText(bytes)})`;
}

/** "64-bit UEFI, 32-bit UEFI and BIOS". */
export function startKindsText(kinds: readonly StartKind[]): string {
  return listText(kinds.map((kind) => (kind === "bios" ? "BIOS" : `${archText(kind)} UEFI`)));
}

function listText(items: readonly string[]): string {
  return items.length < 2 ? items.join("") : `${items.slice(0, -1).join(", ")} and ${items.at(-1)}`;
}

/** Why a medium cannot be made this way, and what it would take. */
export function planProblemText(problem: PlanProblem): string {
  switch (problem.code) {
    case "not-hybrid":
      return "Boots only from a disc; a raw copy on a stick will not start.";
    case "no-files":
      return "No readable files, so files cannot be copied. Use a raw copy.";
    case "not-optical":
      return "No disc in this berth.";
    case "stick-wanted":
      return "This berth holds a disc; this method is for sticks, cards and disks.";
    case "not-for-several":
      return "Several releases need “Partition and copy files”, one partition each.";
    case "too-many-releases":
      return `At most ${problem.most} releases fit on one medium.`;
    case "nothing-starts-it":
      return `No computer would start ${problem.release}: another release has loaders for the same firmware and comes first. Leave one out, or put ${problem.release} first.`;
    case "table-of-other-sectors":
      return `The file has a partition table for sectors of ${problem.image} bytes; the device has sectors of ${problem.device} bytes, so firmware would not find it. Use “Partition and copy files”.`;
    case "sector-size":
      return `A device with sectors of ${problem.sectorBytes} bytes is not supported.`;
    case "disc-too-small": {
      const lacking = Math.ceil((problem.neededBytes - problem.bytes) / 2048).toLocaleString("en-GB");
      const larger = problem.larger[0] ? ` A ${problem.larger[0].name} holds it.` : " No disc is large enough.";
      return `${problem.disc ? `A ${problem.disc.name}` : "The disc"} is ${lacking} sectors too small.${larger}`;
    }
    case "device-too-small":
      return `Needs ${both(problem.neededBytes)}; the device has ${both(problem.bytes)}. Sold sizes count in thousands, not in 1,024s.`;
    case "table-too-small":
      return `An MBR reaches ${bytesText(problem.mostBytes)} and the device has ${bytesText(problem.bytes)}: use a GPT.`;
    case "bios-start-too-large":
      return `The BIOS stage has ${bytesText(problem.bytes)}, and there is room for ${bytesText(problem.mostBytes)}.`;
    case "no-table":
      return "The file has no partition table to add a store to.";
    case "table-full":
      return `Its ${problem.table.toUpperCase()} has no free entry for a store.`;
    case "no-room-for-store":
      return `Only ${bytesText(problem.bytes)} left behind the file; a store needs at least ${bytesText(problem.leastBytes)}.`;
    case "past-table-reach":
      return `The file's MBR reaches ${bytesText(problem.mostBytes)} only.`;
    case "file-too-large":
      return `${problem.path} has ${both(problem.bytes)}; a file on FAT32 has at most ${both(problem.mostBytes)}.`;
    case "folder-too-large":
      return `${problem.path} has ${problem.entries.toLocaleString("en-GB")} entries; a folder on this file system has at most ${problem.most.toLocaleString("en-GB")}.`;
    case "name-not-allowed":
      return `The name “${visible(problem.name)}” in ${problem.path} is not allowed on this file system.`;
    case "name-too-long":
      return `A name in ${problem.path} has ${problem.characters} characters; at most ${problem.most} are allowed.`;
    case "same-name":
      return `${problem.path} and ${problem.other} are the same name on this file system.`;
    case "file-and-folder":
      return `${problem.path} is a file and a folder.`;
    case "too-small-for-format":
      return `The partition would have ${bytesText(problem.bytes)}; the file system needs at least ${bytesText(problem.leastBytes)}.`;
    case "too-large-for-format":
      return `The partition would have ${bytesText(problem.bytes)}; the file system allows at most ${bytesText(problem.mostBytes)}.`;
    case "does-not-fit":
      return `The files need ${both(problem.neededBytes)}, and ${both(problem.freeBytes)} are free.`;
  }
}

/** What a plan tells beside its sums, in a sentence. */
export function planNoteText(note: PlanNote): string {
  switch (note.code) {
    case "room-left":
      return `${bytesText(note.bytes)} unused: enough for a store.`;
    case "system-files":
      return note.isIncluded
        ? `System files are included: ${bytesText(note.bytes)} of ${bytesText(note.ofBytes)}. Without them it reinstalls nothing.`
        : `System files are left out: ${bytesText(note.ofBytes - note.bytes)} instead of ${bytesText(note.ofBytes)}. It reinstalls nothing.`;
    case "split":
      return `${note.path} is split into ${note.parts} files, starting with ${note.firstPart}: FAT32 holds no file of 4 GiB or more. Windows Setup installs from them.`;
    case "no-bios-start":
      return note.why === "no-menu"
        ? "BIOS computers will not start it: the release has no boot menu to continue with."
        : "BIOS computers will not start it: this server has no BIOS stages (Debian's grub-pc-bin).";
    case "no-uefi-start":
      return "UEFI computers will not start it.";
    case "pack-left-out":
      return "No space for Creel's records and run sheets.";
    case "carried":
      return `${note.files === 1 ? "One file is" : `${note.files.toLocaleString("en-GB")} files are`} added, ${bytesText(note.bytes)}.`;
    case "carried-left-out":
      return `${note.files === 1 ? "One file" : `${note.files.toLocaleString("en-GB")} files`} to add ${note.files === 1 ? "has" : "have"} no space: use “Partition and copy files”, or add a store.`;
    case "left-out":
      return note.why === "link"
        ? `${note.count} symbolic links are left out, such as ${note.first}: FAT has none.`
        : `${note.count} files cannot be read and are left out, such as ${note.first}.`;
    case "started-by":
      return `${note.release} comes up on ${startKindsText(note.by)} computers.`;
    case "bios-chooses":
      return `On BIOS computers a boot menu offers ${note.releases.join(" and ")}; the first starts after a timeout.`;
    case "bios-by-grub":
      return `BIOS computers start it through GRUB, which continues with ${note.menu}.`;
  }
}

/** Why what a medium says of itself is not taken in. */
export function packProblemText(problem: PackProblem): string {
  switch (problem.code) {
    case "no-pack":
      return "No Creel records: no CREEL folder with checksums.";
    case "missing":
      return `${problem.path} is missing, though the medium's checksums name it. Nothing was imported.`;
    case "too-large":
      return `${problem.path} is larger than ${bytesText(problem.mostBytes)}, too large for a record. Nothing was imported.`;
    case "damaged":
      return `${problem.path} does not match the medium's checksums: changed, or the medium is failing. Nothing was imported.`;
    case "record-not-understood":
      return `${problem.path} is not readable (line ${problem.line}: ${visible(lineProblemText(problem.problem))}). Nothing was imported.`;
    case "not-understood":
      return `${problem.path} is not readable (${visible(problem.why)}). Nothing was imported.`;
  }
}

/** What is wrong with a device, and what to do; `offset` in bytes from its start, null where it is of no place. */
export function deviceFaultText(code: DeviceFaultCode, offset: number | null = null): string {
  const at = offset === null ? "" : ` at ${bytesText(offset)}`;
  switch (code) {
    case "gone":
      return "Device gone: unplugged or disconnected.";
    case "write-protected":
      return "Write-protected. Check its switch.";
    case "in-use":
      return "Device in use. Unmount it first.";
    case "read-failed":
      return `Read error${at}. The device is failing.`;
    case "write-failed":
      return `Write error${at}. The device is failing.`;
    case "no-answer":
      return `The device stopped answering${at}.`;
    case "already-written":
      return "The disc is not blank.";
  }
}

/** What a test of the capacity came to, in a sentence. */
export function capacityText(result: CapacityResult): string {
  switch (result.state) {
    case "sound":
      return result.writeRate === null || result.readRate === null
        ? "Every byte was written and read back."
        : `Every byte was written and read back: ${bytesText(result.writeRate)}/s writing, ${bytesText(result.readRate)}/s reading.`;
    case "counterfeit":
      return `Counterfeit: it holds ${both(result.trueBytes)}${result.how === "wraps" ? " and begins again behind that" : ", and what is written behind that is lost"}. Do not use it.`;
    case "failing":
      return `Failing: ${result.bad.length === 1 ? "one spot does" : `${result.bad.length} spots do`} not hold what is written, the first at ${bytesText(result.bad[0]?.start ?? 0)}. Do not use it.`;
    case "fault":
      return deviceFaultText(result.code, result.offset);
    case "stopped":
      return "Stopped early.";
  }
}

/** Why a device is not to be used, or not for long. */
export function trustText(reason: TrustReason): string {
  switch (reason.code) {
    case "counterfeit":
      return capacityText({ state: "counterfeit", trueBytes: reason.trueBytes, how: "wraps" }).replace(
        " and begins again behind that",
        "",
      );
    case "failing":
      return "Failing. Do not use it.";
    case "worn":
      return `It was written ${reason.times.toLocaleString("en-GB")} times over: replace it before it fails.`;
    case "old":
      return `It has been in use for ${reason.years} years: replace it before it fails.`;
    case "failed-in-use":
      return `Its medium failed on ${visible(reason.computer)} on ${dayText(reason.on)}. Possibly the computer: verify the medium before relying on it.`;
    case "batch-failed":
      return `Of ${reason.known === 1 ? "one other" : `${reason.known} others`} of its batch ${visible(reason.batch)} ${reason.failed === 1 ? "one was" : `${reason.failed} were`} counterfeit or failing: test it first.`;
    case "model-failed":
      return `Of ${reason.known === 1 ? "one other" : `${reason.known} others`} of its model ${reason.failed === 1 ? "one was" : `${reason.failed} were`} counterfeit or failing: test it first.`;
  }
}

/** What came of a job, in a sentence or two. */
export function resultText(result: BenchResult): string {
  switch (result.state) {
    case "verified":
      return `Verified: all ${both(result.writtenBytes)} read back and intact; boot paths as predicted.`;
    case "not-as-predicted":
      return "Read back, but the boot paths differ from the prediction. Do not use it.";
    case "differs":
      return `What was written at ${bytesText(result.start)} came back different. Do not use the device.`;
    case "wraps":
      return capacityText({ state: "counterfeit", trueBytes: result.trueBytes, how: "wraps" });
    case "fault":
      return `${deviceFaultText(result.code, result.offset)} Nothing counts as verified.`;
    case "source-failed":
      return `The release's file ends early, at ${bytesText(result.offset)}. Put the whole file into the library.`;
    case "device-changed":
      return result.what === "content"
        ? "The device changed since it was read. Nothing written. Start again."
        : "Another device is in the berth. Nothing written.";
    case "file-missing":
      return result.file || "The release's file is not in this server's library.";
    case "plan-failed":
      return result.problems.map(planProblemText).join(" ");
    case "lines-missing":
      return `Not verified: expected log lines are missing (${result.codes.join(", ")}).`;
    case "compared":
      return result.same
        ? "Every file of the release is intact."
        : `Damaged: ${result.damaged.slice(0, 5).join(", ")}${result.damaged.length > 5 ? ` and ${result.damaged.length - 5} more` : ""}.`;
    case "sampled":
      return result.same
        ? `A sample was compared, ${bytesText(result.comparedBytes)} of ${bytesText(result.ofBytes)}: intact.${result.by === "files" ? " Every file has its size." : ""}`
        : `Damaged: ${result.damaged.slice(0, 5).join(", ")}${result.damaged.length > 5 ? ` and ${result.damaged.length - 5} more` : ""}.`;
    case "nothing-to-compare":
      return "Nothing to compare with: not a registered medium, or its release has no manifest.";
    case "capacity":
      return capacityText(result.capacity);
  }
}

const PHASES = new Map([
  ["open", "opening the device"],
  ["fetch", "fetching the release"],
  ["write", "writing"],
  ["flush", "flushing"],
  ["verify", "reading back"],
  ["inspect", "reading the finished medium"],
]);

/** What a job is doing, in a few words; empty for a phase that has no name. */
export function phaseText(phase: string | null): string {
  return PHASES.get(phase ?? "") ?? "";
}

/** A line of a job's log. */
export function lineText(line: BenchLine): string {
  switch (line.code) {
    case "started":
      return "Started.";
    case "device-open":
      return `Opened ${line.identity.model}${line.identity.serial ? `, serial ${line.identity.serial}` : ""}, ${both(line.identity.bytes)}.`;
    case "device-is-no-store":
      return "Not a device that receives images.";
    case "plan":
      return `To write: ${both(line.writtenBytes)}.`;
    case "resumed":
      return `Resumed: of ${line.blocks.toLocaleString("en-GB")} blocks ${line.flushedBlocks.toLocaleString("en-GB")} were on the device, ${line.verifiedBlocks.toLocaleString("en-GB")} of them read back.`;
    case "written":
      return `Wrote ${bytesText(line.bytes)} in ${secondsText(line.ms)}.`;
    case "flushed":
      return "All data flushed to the device.";
    case "read-back":
      return `Read ${bytesText(line.bytes)} back in ${secondsText(line.ms)}: identical.`;
    case "inspected":
      return `Finished medium read: ${line.startPaths.length === 1 ? "one boot path" : `${line.startPaths.length} boot paths`}.`;
    case "as-predicted":
      return "As predicted.";
    case "paused":
      return "Paused.";
    case "cancelled":
      return "Cancelled.";
    case "interrupted":
      return "Interrupted: the server stopped. Can be resumed.";
    case "recorded":
      return `Recorded as ${line.medium}.`;
    case "ended":
      return line.result === "verified" ? "Done: verified." : "Ended.";
  }
}

function secondsText(ms: number): string {
  return ms < 10_000 ? `${(ms / 1000).toFixed(1)} s` : `${Math.round(ms / 1000)} s`;
}

/** What decides for a computer whether a proposed medium is a route for it. */
export function proposedReasonText(reason: ProposedReason): string {
  if (reason === null) return "No result recorded.";
  return "change" in reason ? `${changeText(reason.change)}.` : reasonText(reason.reason);
}
