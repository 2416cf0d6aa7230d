import { KEY_REFUSED } from "../computer/facts/key-place";
import { type DeviceMarks, hasSerialEnd } from "../making/writing/confirm";
import type { FileFault, ImportTrouble, Problem, Refusal, ScanTrouble } from "../problems/problem";
import { capacityText, deviceFaultText, packProblemText } from "./bench";
import { calendarProblemText } from "./calendars";
import { patternProblemText } from "./images";
import { fieldsText, importFaultText } from "./imports";

/** A problem in sentences; fields of a form are told by their names. */
export function problemText(problem: Problem): string {
  switch (problem.code) {
    case "not-found":
      return `There is no ${problem.name === undefined ? `such ${problem.what}` : `${problem.what} ${problem.name}`}. It may have been removed meanwhile.`;
    case "taken":
      return `The ${problem.field} ${problem.value} is already used: choose another.`;
    case "invalid":
      return fieldsText(problem.fields);
    case "refused":
      return refusalReasonText(problem.why);
    case "stale":
      return `Somebody changed this while you were editing: ${problem.changes.map((each) => `${each.by} changed ${each.field}`).join(", ") || "the record"}. Your entries are kept; compare and save again.`;
  }
}

const FILE_FAULTS: Record<Exclude<FileFault["code"], "other">, string> = {
  ENOENT: "there is no such file",
  EACCES: "no permission to read it",
  EPERM: "no permission to read it",
  EISDIR: "it is a folder, not a file",
  ENOTDIR: "a part of its path is not a folder",
  EIO: "the device reports a read error",
  ENAMETOOLONG: "its name is too long",
  EEXIST: "it is there already; choose another name, or take it away first",
  ENOSPC: "there is no room left for it",
};

/** What went wrong with a file: words within a sentence. */
export function fileFaultText(fault: FileFault): string {
  return fault.code === "other" ? fault.told : FILE_FAULTS[fault.code];
}

/** Why nothing of a file was imported, in sentences. */
export function importTroubleText(trouble: ImportTrouble): string {
  switch (trouble.code) {
    case "cancelled":
      return refusalReasonText({ code: "import-cancelled" });
    case "rows-at-fault":
      return "Nothing was imported: the rows below have faults.";
    case "tags-alike":
      return "Nothing was imported: two of its tags, or one of them and one already recorded, count as the same because they differ only in case or accents.";
    case "disk-full":
      return "Nothing was imported: the server's disk is full. Free space, then import again.";
    case "unforeseen":
      return refusalReasonText({ code: "import-failed" });
    case "refused":
      return `${problemText(trouble.problem)} Nothing was imported.`;
    case "told-in-words":
      return trouble.text;
  }
}

/** Why a store could not be looked through, in a sentence. */
export function scanTroubleText(trouble: ScanTrouble): string {
  switch (trouble.code) {
    case "disk-full":
      return "It could not be looked through: the server's disk is full. Free space, then look again.";
    case "unforeseen":
      return "It could not be looked through: Creel ran into an error it did not expect. The server's log has the details.";
    case "file-fault":
      return `It could not be looked through: ${fileFaultText(trouble.fault)}.`;
    case "told-in-words":
      return trouble.text;
  }
}

/** What to say beside the fields of a form; empty where the problem is about none of them. */
export function fieldTexts(problem: Problem | null): Record<string, string> {
  if (problem?.code === "invalid") return problem.fields;
  return problem?.code === "refused" && problem.field !== undefined
    ? { [problem.field]: refusalReasonText(problem.why) }
    : {};
}

const PLAIN: Record<PlainCode, string> = {
  "key-typed": `What you typed ${KEY_REFUSED}`,
  "undone-already": "It is undone already.",
  "no-disk-to-replace": "The replaced disk is not recorded. Replace it on the computer's page.",
  "first-person-there": "A person is recorded already. Select yourself at the top.",
  "day-past": "That day is past already.",
  "day-past-drill": "That day is past already. Record the drill if it was held.",
  "day-ahead-drill": "A drill that was held was held today or before.",
  "day-not-ahead": "That day is not ahead.",
  "day-too-far": "At most a year: by then it should be looked at again.",
  "model-needed": "Make and model are needed, such as “Ostrel Block 9”.",
  "travel-to-itself": "From a place to itself there is no way.",
  "file-empty": "The file is empty.",
  "table-too-large": "The file is larger than 256 MiB. Split it into several.",
  "import-done": "It is done already. Drop the file again to import it once more.",
  "import-busy": "It is being worked on already.",
  "import-cancelled": "Cancelled: nothing was imported.",
  "import-failed": "Nothing was imported: Creel ran into an error it did not expect. The server's log has the details.",
  "too-large-to-keep": "It is too large to be kept. Take a file with fewer entries.",
  "body-unreadable": "It is not compressed JSON, or too large.",
  "manifest-of-another-file": "It is another file than the one that was read before.",
  "manifest-too-large": "It is too large to be kept.",
  "superseded-by-itself": "A release cannot be superseded by itself, also not by way of another.",
  "store-out-of-reach":
    "This server cannot look into that store. Drop a listing of it here instead, or say in which folder it is mounted.",
  "store-scan-running": "It is being looked through already.",
  "store-not-measurable": "This server cannot reach it, and so not measure it.",
  "store-too-full-to-measure": "There is too little room on it to measure: a gigabyte is wanted.",
  "listing-unreadable":
    "No files could be read from it. Make it with “ls -lR --time-style=long-iso”, with “dir /s”, or as a table of path, bytes and time.",
  "callout-closed": "This call-out is closed.",
  "route-not-offered": "That way is not offered any more. Look at the ways again.",
  "same-computer": "That is the computer itself.",
  "entry-without-computer": "Enter the tag of the computer on whose disk the boot entry is.",
  "plan-not-done": "Only a plan that was computed to its end can be accepted.",
  "no-emulator": "This server has no emulator for that: it needs Debian's qemu-system-x86, ovmf and ovmf-ia32.",
  "plan-fails": "This cannot be made this way; the plan says why.",
  "device-is-store": "This device receives images: it is never written to as a whole.",
  "device-changed": "The device is not as it was when this was planned. Look at the plan again.",
  "loss-not-agreed": "Say that what is lost with it may be lost.",
  "device-unreadable": "The device cannot be read.",
  "release-never-read": "It was never read from a file. Read it first, under Kits.",
  "release-twice": "A release stands on a medium once: choose another one.",
};

/** Codes without facts. */
type PlainCode = { [R in Refusal as R["code"]]: keyof R extends "code" ? R["code"] : never }[Refusal["code"]];

/** Why something that was asked for is not done, and what to do. */
function refusalReasonText(why: Refusal): string {
  switch (why.code) {
    case "not-in-service":
      return `There is no ${why.what} ${why.tag} in ${why.what === "medium" ? "use" : "service"}. Check its tag.`;
    case "no-such-tag":
      return `No ${why.what} has the tag ${why.tag}.`;
    case "no-such-site":
      return `There is no place ${why.site}. Choose one of the list.`;
    case "copy-there":
      return `A copy in ${why.store} is recorded already. Move it instead.`;
    case "several-called":
      return `Several computers are called ${why.name}: say which by its tag.`;
    case "calendar-unreadable":
      return why.problems.map(calendarProblemText).join(" ");
    case "name-pattern":
      return why.problems.map(patternProblemText).join(" ");
    case "rule-there":
      return `Something is said for ${why.subject} already: choose it to change it.`;
    case "no-such-form":
      return `A form is one of ${why.known.join(", ")}.`;
    case "table-fault":
      return importFaultText(why.fault);
    case "lent-already":
      return `${why.medium} is with ${why.to}. It has to be given back first.`;
    case "release-of-another-file":
      return `${why.release} is recorded here from another file than this medium was made from. Give one of the two another name.`;
    case "store-not-writable":
      return `It could not be written to: ${fileFaultText(why.fault)}.`;
    case "no-emulated-firmware":
      return `There is no emulated computer with ${why.computer}'s firmware, or its firmware is not recorded.`;
    case "nothing-to-emulate":
      return `Nothing of ${why.medium} can be started here: it is in no berth, and its release's file is not in the library.`;
    case "emulator-died":
      return `The emulator ended by itself: ${why.lastLine}`;
    case "device-untrusted":
      return capacityText(why.result);
    case "tag-on-other-device":
      return `${why.tag} is another device, the ${why.device}. Give this one another tag, or retire ${why.tag} first.`;
    case "device-not-named":
      return `This does not name the device: type ${confirmationText(why.marks)}.`;
    case "device-is-medium":
      return `It is ${why.tag}: a medium that is in use is not emptied for a test. Retire ${why.tag} first.`;
    case "berth-busy":
      return `Job ${why.job} holds this berth. Let it end, or cancel it.`;
    case "job-over":
      return `The job is ${why.state}: there is nothing to ${why.wish}.`;
    case "job-cannot-resume":
      return `The job is ${why.state} and cannot go on. Begin a new one.`;
    case "pack-refused":
      return packProblemText(why.problem);
    case "device-fault":
      return deviceFaultText(why.fault, why.offset);
    case "copy-of-medium":
      return `${why.tag} is another device here, the ${why.device}: this one is a copy of it.`;
    case "berth-is-port":
      return `${why.berth} is a port of this server: put the device in, or take it out, there.`;
    case "berth-taken":
      return `${why.berth} holds a device already. Take that out first.`;
    case "berth-takes":
      return `${why.berth} takes ${why.discs ? "discs" : "sticks, cards and disks"} only.`;
    case "device-elsewhere":
      return `It is in ${why.berth}. Take it out there first.`;
    case "carried-missing":
      return `${why.file} is not in the library any more. Plan the medium anew.`;
    case "carried-release-missing":
      return `${why.file ?? "A release's file"} is not in the library any more: a driver is taken from it.`;
    case "carried-not-on-release":
      return `${why.path} is not on ${why.release} any more.`;
    case "release-file-missing":
      return `Its file ${why.file} is not in this server's library. Put it there, as it was when it was read.`;
    default:
      return PLAIN[why.code];
  }
}

/** What is typed to name a device: "the tag that is printed on it, or the last four characters of its serial". */
export function confirmationText({ serial, tag, berth }: DeviceMarks): string {
  const ways = [
    tag === null ? null : "the tag that is printed on it",
    hasSerialEnd(serial) ? "the last four characters of its serial" : null,
  ].filter((way) => way !== null);
  return ways.length > 0 ? ways.join(", or ") : `the name of its berth, ${berth}`;
}
