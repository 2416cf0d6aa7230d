import type { StartKind } from "../judging/model/start-kind";
import type { BenchLine, BenchResult } from "../making/jobs/job";
import type { PackProblem } from "../making/pack/pack-read";
import type { Alternative, PlanNote, PlanProblem, Way } from "../making/planning/plan";
import type { ProposedReason } from "../making/planning/propose";
import type { CapacityResult } from "../making/writing/capacity";
import type { DeviceFaultCode, DeviceKind } from "../making/writing/device";
import type { TrustReason } from "../making/writing/trust";
import { archText } from "./firmware";
import { lineProblemText } from "./imports";
import { changeText, reasonText } from "./reasons";
import { binaryText, bytesText } from "./sizes";
import { visible } from "./visible";

/** How a medium is made, in a few words. */
export function wayText(way: Way): string {
  switch (way) {
    case "as-it-is":
      return "the file as it is, block by block";
    case "as-it-is-with-store":
      return "the file as it is, and a store in the rest";
    case "laid-out":
      return "its files laid out anew";
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
      return "The file starts from a disc only: written to a stick block by block, no computer would start it.";
    case "no-files":
      return "Nothing in the file can be read as files, so nothing can be laid out.";
    case "not-optical":
      return "There is no disc in this berth.";
    case "stick-wanted":
      return "In this berth is a disc; this way of making is for sticks, cards and disks.";
    case "not-for-several":
      return "Several releases on one medium want their files laid out anew, each in a partition of its own.";
    case "too-many-releases":
      return `At most ${problem.most} releases stand on one medium.`;
    case "nothing-starts-it":
      return `No computer would come to ${problem.release}: another release on the medium has loaders for the same firmware, and the first that suits is taken. Leave one out, or put ${problem.release} first.`;
    case "table-of-other-sectors":
      return `The file has a partition table for sectors of ${problem.image} bytes; the device has sectors of ${problem.device} bytes, so firmware would not find it. Lay the files out on it instead.`;
    case "sector-size":
      return `A device with sectors of ${problem.sectorBytes} bytes is not laid out.`;
    case "disc-too-small": {
      const lacking = Math.ceil((problem.neededBytes - problem.bytes) / 2048).toLocaleString("en-GB");
      const larger = problem.larger[0] ? ` A ${problem.larger[0].name} holds it.` : " No kind of disc holds it.";
      return `${problem.disc ? `A ${problem.disc.name}` : "The disc"} is ${lacking} sectors too small.${larger}`;
    }
    case "device-too-small":
      return `It wants ${both(problem.neededBytes)}, and the device has ${both(problem.bytes)}. What is sold as a size is counted in thousands, not in 1,024s.`;
    case "table-too-small":
      return `An MBR reaches ${bytesText(problem.mostBytes)} and the device has ${bytesText(problem.bytes)}: use a GPT.`;
    case "bios-start-too-large":
      return `The BIOS stage has ${bytesText(problem.bytes)}, and there is room for ${bytesText(problem.mostBytes)}.`;
    case "no-table":
      return "The file has no partition table that a store could be entered in.";
    case "table-full":
      return `Its ${problem.table.toUpperCase()} has no entry left for a store.`;
    case "no-room-for-store":
      return `Behind the file ${bytesText(problem.bytes)} are left; a store is worth making from ${bytesText(problem.leastBytes)}.`;
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
      return `The partition would have ${bytesText(problem.bytes)}; the file system begins at ${bytesText(problem.leastBytes)}.`;
    case "too-large-for-format":
      return `The partition would have ${bytesText(problem.bytes)}; the file system ends at ${bytesText(problem.mostBytes)}.`;
    case "does-not-fit":
      return `The files want ${both(problem.neededBytes)}, and ${both(problem.freeBytes)} are there for them.`;
  }
}

/** What a plan tells beside its sums, in a sentence. */
export function planNoteText(note: PlanNote): string {
  switch (note.code) {
    case "room-left":
      return `${bytesText(note.bytes)} would be left unused: a store for images could stand there.`;
    case "no-bios-start":
      return note.why === "no-menu"
        ? "BIOS computers will not start it: the release has no start menu that could be gone on with."
        : "BIOS computers will not start it: this server has no BIOS stages (Debian's grub-pc-bin).";
    case "no-uefi-start":
      return "UEFI computers will not start it.";
    case "pack-left-out":
      return "What Creel puts beside a release (what it is, for whom) has no place on it.";
    case "carried":
      return `${note.files === 1 ? "One file is" : `${note.files.toLocaleString("en-GB")} files are`} carried along, ${bytesText(note.bytes)}.`;
    case "carried-left-out":
      return `${note.files === 1 ? "One file" : `${note.files.toLocaleString("en-GB")} files`} to be carried along ${note.files === 1 ? "has" : "have"} no place on it: have its files laid out, or a store made behind it.`;
    case "left-out":
      return note.why === "link"
        ? `${note.count} symbolic links are left out, such as ${note.first}: FAT has none.`
        : `${note.count} files cannot be read and are left out, such as ${note.first}.`;
    case "started-by":
      return `${note.release} comes up on ${startKindsText(note.by)} computers.`;
    case "bios-chooses":
      return `On BIOS computers a menu offers ${note.releases.join(" and ")}; the first is taken after a while.`;
    case "bios-by-grub":
      return `BIOS computers start it through GRUB, which goes on with ${note.menu}.`;
  }
}

/** Why what a medium says of itself is not taken in. */
export function packProblemText(problem: PackProblem): string {
  switch (problem.code) {
    case "no-pack":
      return "It carries no records of Creel: there is no CREEL folder with its sums on it.";
    case "missing":
      return `${problem.path} is missing, though the medium's sums name it. Nothing of it was taken in.`;
    case "too-large":
      return `${problem.path} is larger than ${bytesText(problem.mostBytes)}, which no pack is. Nothing of it was taken in.`;
    case "damaged":
      return `${problem.path} is not what the medium's own sums say: it was changed, or the medium is failing. Nothing of it was taken in.`;
    case "record-not-understood":
      return `${problem.path} cannot be understood (line ${problem.line}: ${visible(lineProblemText(problem.problem))}). Nothing of it was taken in.`;
    case "not-understood":
      return `${problem.path} cannot be understood (${visible(problem.why)}). Nothing of it was taken in.`;
  }
}

/** What is wrong with a device, and what to do; `offset` in bytes from its start, null where it is of no place. */
export function deviceFaultText(code: DeviceFaultCode, offset: number | null = null): string {
  const at = offset === null ? "" : ` at ${bytesText(offset)}`;
  switch (code) {
    case "gone":
      return "The device is no longer there: it was pulled out, or fell off the bus.";
    case "write-protected":
      return "The device is write-protected. Look for its switch.";
    case "in-use":
      return "Something else uses the device. Take it out of use first.";
    case "read-failed":
      return `The device cannot be read${at}. It is failing.`;
    case "write-failed":
      return `The device cannot be written to${at}. It is failing.`;
    case "no-answer":
      return `The device does not answer any more${at}.`;
    case "already-written":
      return "The disc was written to before.";
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
      return `It is counterfeit: it holds ${both(result.trueBytes)}${result.how === "wraps" ? " and begins again behind that" : ", and what is written behind that is lost"}. Do not use it.`;
    case "failing":
      return `It is failing: ${result.bad.length === 1 ? "one place does" : `${result.bad.length} places do`} not hold what is written, the first at ${bytesText(result.bad[0]?.start ?? 0)}. Do not use it.`;
    case "fault":
      return deviceFaultText(result.code, result.offset);
    case "stopped":
      return "It was stopped before its end.";
  }
}

/** Why a device is not to be relied on, or not for long. */
export function trustText(reason: TrustReason): string {
  switch (reason.code) {
    case "counterfeit":
      return capacityText({ state: "counterfeit", trueBytes: reason.trueBytes, how: "wraps" }).replace(
        " and begins again behind that",
        "",
      );
    case "failing":
      return "It is failing. Do not use it.";
    case "worn":
      return `It was written ${reason.times.toLocaleString("en-GB")} times over: replace it before it fails.`;
    case "old":
      return `It has been in use for ${reason.years} years: replace it before it fails.`;
    case "failed-in-use":
      return `Its medium failed on ${visible(reason.computer)} on ${reason.on}. That may have been the computer: verify it before you rely on it.`;
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
      return `Verified: all ${both(result.writtenBytes)} were read back and are what was written, and it starts what was predicted.`;
    case "not-as-predicted":
      return "Everything was read back, but the finished medium starts other things than were predicted. It is not to be relied on.";
    case "differs":
      return `What was written at ${bytesText(result.start)} came back otherwise. The device is not to be relied on.`;
    case "wraps":
      return capacityText({ state: "counterfeit", trueBytes: result.trueBytes, how: "wraps" });
    case "fault":
      return `${deviceFaultText(result.code, result.offset)} Nothing of it counts as verified.`;
    case "source-failed":
      return `The release's file ends at ${bytesText(result.offset)}, before its own end. Put the whole file into the library.`;
    case "device-changed":
      return result.what === "content"
        ? "The device is not as it was when this was planned: nothing was written. Plan anew."
        : "In the berth is another device than this was planned for: nothing was written.";
    case "file-missing":
      return result.file || "The release's file is not in this server's library.";
    case "plan-failed":
      return result.problems.map(planProblemText).join(" ");
    case "lines-missing":
      return `The log lacks what it must have said (${result.codes.join(", ")}), so it is not called verified.`;
    case "compared":
      return result.same
        ? "Every file of the release is there and whole."
        : `Damaged: ${result.damaged.slice(0, 5).join(", ")}${result.damaged.length > 5 ? ` and ${result.damaged.length - 5} more` : ""}.`;
    case "sampled":
      return result.same
        ? `A sample was compared, ${bytesText(result.comparedBytes)} of ${bytesText(result.ofBytes)}: all of it is right.${result.by === "files" ? " Every file is there in its size." : ""}`
        : `Damaged: ${result.damaged.slice(0, 5).join(", ")}${result.damaged.length > 5 ? ` and ${result.damaged.length - 5} more` : ""}.`;
    case "nothing-to-compare":
      return "There is nothing to compare it with: it is no medium of the inventory, or its release has no manifest.";
    case "capacity":
      return capacityText(result.capacity);
  }
}

const PHASES = new Map([
  ["open", "opening the device"],
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
      return "Taken up.";
    case "device-open":
      return `Opened ${line.identity.model}${line.identity.serial ? `, serial ${line.identity.serial}` : ""}, ${both(line.identity.bytes)}.`;
    case "device-is-no-store":
      return "It is none of the devices that receive images.";
    case "plan":
      return `To be written: ${both(line.writtenBytes)}.`;
    case "resumed":
      return `Went on: of ${line.blocks.toLocaleString("en-GB")} blocks ${line.flushedBlocks.toLocaleString("en-GB")} were on the device, ${line.verifiedBlocks.toLocaleString("en-GB")} of them read back.`;
    case "written":
      return `Wrote ${bytesText(line.bytes)} in ${secondsText(line.ms)}.`;
    case "flushed":
      return "All of it is on the device itself.";
    case "read-back":
      return `Read ${bytesText(line.bytes)} back in ${secondsText(line.ms)}: every block is the same.`;
    case "inspected":
      return `Read as any other medium: ${line.startPaths.length} ways to start from it.`;
    case "as-predicted":
      return "They are those that were predicted.";
    case "paused":
      return "Paused.";
    case "cancelled":
      return "Cancelled.";
    case "interrupted":
      return "Interrupted: the server stopped. It can go on.";
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
  if (reason === null) return "Nothing is known of it.";
  return "change" in reason ? `${changeText(reason.change)}.` : reasonText(reason.reason);
}
