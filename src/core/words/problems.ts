import { KEY_REFUSED } from "../computer/facts/key-place";
import { type DeviceMarks, hasSerialEnd } from "../making/writing/confirm";
import type { FileFault, ImportTrouble, Problem, Refusal, ScanTrouble } from "../problems/problem";
import { roleText } from "./accounts";
import { capacityText, deviceFaultText, packProblemText } from "./bench";
import { calendarProblemText } from "./calendars";
import { documentProblemText } from "./collect";
import { patternProblemText } from "./images";
import { fieldsText, importFaultText } from "./imports";
import { bytesText } from "./sizes";

/** A problem in sentences; fields of a form are told by their names. */
export function problemText(problem: Problem): string {
  switch (problem.code) {
    case "not-found":
      return `There is no ${problem.name === undefined ? `such ${problem.what}` : `${problem.what} ${problem.name}`}. It may have been removed.`;
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
  ENOENT: "no such file",
  EACCES: "no permission to read it",
  EPERM: "no permission to read it",
  EISDIR: "it is a folder, not a file",
  ENOTDIR: "a part of its path is not a folder",
  EIO: "the device reports a read error",
  ENAMETOOLONG: "name too long",
  EEXIST: "it exists; choose another name, or remove it first",
  ENOSPC: "no space left",
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
      return "Not scanned: the server's disk is full. Free space, then scan again.";
    case "unforeseen":
      return "Not scanned: unexpected error. The server log has the details.";
    case "file-fault":
      return `Not scanned: ${fileFaultText(trouble.fault)}.`;
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
  "pack-gone": "The run sheets and records for this medium are gone. Plan the medium again.",
  "records-by-folder":
    "This device is at a bench host. To import its records, add a medium on that computer and drop the stick's drive there.",
  "key-typed": `What you typed ${KEY_REFUSED}`,
  "undone-already": "Already undone.",
  "no-disk-to-replace": "The replaced disk is not recorded. Replace it on the computer's page.",
  "signed-out": "Your session is over. Sign in again; what you entered stays on this page until you leave it.",
  "not-from-here":
    "This request did not come from a page of Creel, or not by one of its addresses. Open Creel by its own address.",
  "too-many-requests": "Too many requests. Wait a minute.",
  "key-used-otherwise": "This idempotency key was used for another request. Choose a new one.",
  "token-refused": "No such token, or not for this, or it has ended. An administrator can make a new one under Tokens.",
  malformed: "This request does not have the form that it needs. Load the page again.",
  "set-up-over": "This link was used, or is too old. Start Creel again for a new one.",
  "own-account": "This is your own account. Another administrator has to do it.",
  "last-administrator": "Nobody else is an administrator. Make somebody else one first.",
  "day-past": "That day is past.",
  "day-past-drill": "That day is past. Record the drill if it was run.",
  "day-ahead-drill": "A recorded drill cannot be in the future.",
  "day-not-ahead": "Choose a day in the future.",
  "day-too-far": "At most one year ahead.",
  "model-needed": "Make and model are needed, such as “Ostrel Block 9”.",
  "travel-to-itself": "Choose two different sites.",
  "file-empty": "The file is empty.",
  "table-too-large": "The file is larger than 256 MiB. Split it into several.",
  "import-done": "Already imported. Drop the file again to import it once more.",
  "import-busy": "Already in progress.",
  "import-cancelled": "Cancelled: nothing was imported.",
  "import-failed": "Nothing was imported: unexpected error. The server log has the details.",
  "too-large-to-keep": "Too large. Use a file with fewer entries.",
  "body-unreadable": "Not compressed JSON, or too large.",
  "manifest-of-another-file": "Not the file that was read before.",
  "manifest-too-large": "Too large.",
  "superseded-by-itself": "A release cannot supersede itself, directly or indirectly.",
  "store-out-of-reach":
    "The server cannot look into that store. Drop a listing here, or enter the folder where it is mounted.",
  "store-scan-running": "A scan is already running.",
  "store-not-measurable": "The server cannot reach it.",
  "store-too-full-to-measure": "Too little free space to measure: 1 GB is needed.",
  "listing-unreadable":
    "No files could be read from it. Make it with “ls -lR --time-style=long-iso”, with “dir /s”, or as a table of path, bytes and time.",
  "callout-closed": "This call-out is closed.",
  "route-not-offered": "That route is no longer offered. Check the routes again.",
  "same-computer": "That is the computer itself.",
  "entry-without-computer": "Enter the tag of the computer on whose disk the boot entry is.",
  "plan-not-done": "Only a plan that was computed to its end can be accepted.",
  "no-emulator": "No emulator on this server. Install Debian's qemu-system-x86, ovmf and ovmf-ia32.",
  "not-waiting": "Already accepted or set aside. Reload the list.",
  "plan-fails": "Not possible; the plan says why.",
  "device-is-store": "This device receives images: never written to as a whole.",
  "device-changed": "The device changed since the preview. Preview the plan again.",
  "loss-not-agreed": "Confirm the loss first.",
  "device-unreadable": "The device cannot be read, or was not read yet. Try again in a few seconds.",
  "release-never-read": "Never read from a file. Read its file first under Kits.",
  "release-twice": "This release is already on the medium. Choose another one.",
};

/** Codes without facts. */
type PlainCode = { [R in Refusal as R["code"]]: keyof R extends "code" ? R["code"] : never }[Refusal["code"]];

/** Why something that was asked for is not done, and what to do. */
function refusalReasonText(why: Refusal): string {
  switch (why.code) {
    case "not-in-service":
      return `There is no ${why.what} ${why.tag} in ${why.what === "medium" ? "use" : "service"}. Check its tag.`;
    case "role-needed":
      return `This needs the role ${roleText(why.role).toLowerCase()}. Ask whoever has it.`;
    case "account-open":
      return `Close the account of ${why.name} first.`;
    case "other-site":
      return `${why.site === null ? "Its site is not recorded" : `This is at ${why.site}`}, and your account is limited to other sites.`;
    case "too-many-waiting":
      return `${why.most.toLocaleString("en-GB")} reported computers are not recorded yet. Accept or set aside some under Computers, Arrivals.`;
    case "report-unreadable":
      return `Not a computer report. ${documentProblemText(why.problem)}`;
    case "report-without-tag":
      return `${why.count === 1 ? "One computer" : `${why.count} computers`} reported no tag or serial. Number them instead.`;
    case "facts-of-another":
      return `These facts are of ${why.told}, not of ${why.tag}.`;
    case "body-too-large":
      return `Too large: at most ${bytesText(why.most)}.`;
    case "no-such-tag":
      return `No ${why.what} has the tag ${why.tag}.`;
    case "no-such-site":
      return `No site ${why.site}. Choose one of the list.`;
    case "device-registered":
      return `This device is ${why.tag} already.`;
    case "copy-there":
      return `A copy in ${why.store} is recorded already. Move it instead.`;
    case "several-called":
      return `Several computers are called ${why.name}: say which by its tag.`;
    case "calendar-unreadable":
      return why.problems.map(calendarProblemText).join(" ");
    case "name-pattern":
      return why.problems.map(patternProblemText).join(" ");
    case "rule-there":
      return `A rule for ${why.subject} exists. Edit it instead.`;
    case "no-such-form":
      return `A form factor is one of ${why.known.join(", ")}.`;
    case "table-fault":
      return importFaultText(why.fault);
    case "lent-already":
      return `${why.medium} is with ${why.to}. Return it first.`;
    case "release-of-another-file":
      return `${why.release} is recorded here from another file than this medium was made from. Give one of the two another name.`;
    case "store-not-writable":
      return `Not written: ${fileFaultText(why.fault)}.`;
    case "no-emulated-firmware":
      return `There is no emulated computer with ${why.computer}'s firmware, or its firmware is not recorded.`;
    case "nothing-to-emulate":
      return `Nothing of ${why.medium} can be started here: it is in no berth, and its release's file is not in the library.`;
    case "emulator-died":
      return `The emulator stopped: ${why.lastLine}`;
    case "device-untrusted":
      return capacityText(why.result);
    case "tag-on-other-device":
      return `${why.tag} is another device, the ${why.device}. Give this one another tag, or retire ${why.tag} first.`;
    case "device-not-named":
      return `This does not name the device: type ${confirmationText(why.marks)}.`;
    case "device-is-medium":
      return `It is ${why.tag}: a medium in use is not erased for a test. Retire ${why.tag} first.`;
    case "bench-host-taken":
      return `Another bench host is called ${why.name}. Start this one with --name and another name.`;
    case "berth-busy":
      return `Job ${why.job} uses this berth. Wait for it, or cancel it.`;
    case "job-over":
      return `The job is ${why.state}: there is nothing to ${why.wish}.`;
    case "job-cannot-resume":
      return `The job is ${why.state} and cannot be resumed. Start a new one.`;
    case "pack-refused":
      return packProblemText(why.problem);
    case "device-fault":
      return deviceFaultText(why.fault, why.offset);
    case "copy-of-medium":
      return `${why.tag} is another device here, the ${why.device}: this one is a copy of it.`;
    case "berth-is-port":
      return `${why.berth} is a port of this server. Insert or remove the device there.`;
    case "berth-taken":
      return `${why.berth} holds a device. Remove that first.`;
    case "berth-takes":
      return `${why.berth} takes ${why.discs ? "discs" : "sticks, cards and disks"} only.`;
    case "device-elsewhere":
      return `It is in ${why.berth}. Remove it there first.`;
    case "carried-missing":
      return `${why.file} is no longer in the library. Plan the medium again.`;
    case "carried-release-missing":
      return `${why.file ?? "A release's file"} is no longer in the library; a driver comes from it.`;
    case "carried-not-on-release":
      return `${why.path} is not on ${why.release} any longer.`;
    case "upload-other-size":
      return `${why.file} has ${why.needed.toLocaleString("en-GB")} bytes, this file ${why.bytes.toLocaleString("en-GB")}. Choose the file that the release was read from.`;
    case "upload-other-file":
      return `This file is not the ${why.file} that was read: its SHA-256 differs.`;
    case "library-full":
      return `Too little space on the server: ${bytesText(why.free)} free, ${bytesText(why.needed)} needed. Remove files that no release needs, or add space.`;
    case "release-file-missing":
      return `Its file ${why.file} is not in this server's library. Put the unchanged file there.`;
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
