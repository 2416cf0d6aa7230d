import type { CalendarProblem } from "../computer/calendars/calendar";
import type { DocumentProblem } from "../computer/collect/document";
import type { CellProblem, LineProblem, RecordProblem, TableProblem } from "../computer/exchange/faults";
import type { RowFault } from "../computer/exchange/table";
import type { PatternProblem } from "../images/names";
import type { PackProblem } from "../making/pack/pack-read";
import type { CapacityResult } from "../making/writing/capacity";
import type { DeviceMarks } from "../making/writing/confirm";
import type { DeviceFaultCode } from "../making/writing/device";

/** A field that somebody else changed since the form was opened. */
export interface StaleChange {
  field: string;
  before: unknown;
  after: unknown;
  by: string;
  at: string;
}

/** What was looked for and is not there; names of records are those of the event log. */
type Thing = string;

/** Errors of files by their names in POSIX's <errno.h>, as far as there are words for them. */
export const FILE_ERRORS = [
  ...(["ENOENT", "EACCES", "EPERM", "EISDIR", "ENOTDIR"] as const),
  ...(["EIO", "ENAMETOOLONG", "EEXIST", "ENOSPC"] as const),
] as const;

/** What went wrong with a file; `told`: what the system says of anything else. */
export type FileFault = { code: (typeof FILE_ERRORS)[number] } | { code: "other"; told: string };

/** Why nothing of a file was imported. */
export type ImportTrouble =
  | { code: "cancelled" | "rows-at-fault" | "tags-alike" | "disk-full" | "unforeseen" }
  | { code: "refused"; problem: Problem }
  /** As an earlier version kept it. */
  | { code: "told-in-words"; text: string };

/** Why a store could not be looked through. */
export type ScanTrouble =
  | { code: "disk-full" | "unforeseen" }
  | { code: "file-fault"; fault: FileFault }
  | { code: "told-in-words"; text: string };

/** Why something that was asked for is not done: a closed union of codes, each with its facts. */
export type Refusal =
  // Inventory
  | { code: "key-typed" }
  | { code: "undone-already" }
  | { code: "signed-out" }
  | { code: "role-needed"; role: string }
  /** `site`: null where it is not recorded. */
  | { code: "other-site"; site: string | null }
  | { code: "token-refused" }
  | { code: "too-many-requests" }
  | { code: "key-used-otherwise" }
  | { code: "facts-of-another"; told: string; tag: string }
  | { code: "report-unreadable"; problem: DocumentProblem }
  | { code: "not-waiting" }
  | { code: "too-many-waiting"; most: number }
  | { code: "report-without-tag"; count: number }
  | { code: "not-from-here" }
  | { code: "malformed" }
  /** Bytes. */
  | { code: "body-too-large"; most: number }
  | { code: "set-up-over" }
  | { code: "last-administrator" }
  | { code: "own-account" }
  | { code: "account-open"; name: string }
  | { code: "no-disk-to-replace" }
  | { code: "not-in-service"; what: "computer" | "medium"; tag: string }
  | { code: "no-such-tag"; what: "computer" | "medium"; tag: string }
  | { code: "no-such-site"; site: string }
  | { code: "several-called"; name: string }
  | { code: "day-past" }
  | { code: "day-past-drill" }
  | { code: "day-ahead-drill" }
  | { code: "day-not-ahead" }
  | { code: "day-too-far" }
  | { code: "calendar-unreadable"; problems: CalendarProblem[] }
  | { code: "name-pattern"; problems: PatternProblem[] }
  | { code: "rule-there"; subject: string }
  | { code: "no-such-form"; known: readonly string[] }
  | { code: "model-needed" }
  | { code: "travel-to-itself" }
  // Tables
  | { code: "file-empty" }
  | { code: "table-too-large" }
  | { code: "import-done" }
  | { code: "import-busy" }
  | { code: "import-cancelled" }
  | { code: "import-failed" }
  | { code: "table-fault"; fault: ImportFault }
  // Files and media
  | { code: "too-large-to-keep" }
  | { code: "body-unreadable" }
  | { code: "manifest-of-another-file" }
  | { code: "manifest-too-large" }
  | { code: "lent-already"; medium: string; to: string }
  | { code: "superseded-by-itself" }
  | { code: "release-of-another-file"; release: string }
  // Stores
  | { code: "store-out-of-reach" }
  | { code: "store-scan-running" }
  | { code: "store-not-measurable" }
  | { code: "store-too-full-to-measure" }
  | { code: "store-not-writable"; fault: FileFault }
  | { code: "listing-unreadable" }
  // Call-outs and plans
  | { code: "callout-closed" }
  | { code: "route-not-offered" }
  | { code: "same-computer" }
  | { code: "entry-without-computer" }
  | { code: "copy-there"; store: string }
  | { code: "device-registered"; tag: string }
  | { code: "plan-not-done" }
  // Emulated drills
  | { code: "no-emulated-firmware"; computer: string }
  | { code: "no-emulator" }
  | { code: "nothing-to-emulate"; medium: string }
  | { code: "emulator-died"; lastLine: string }
  // The bench
  | { code: "plan-fails" }
  | { code: "device-is-store" }
  | { code: "device-untrusted"; result: CapacityResult }
  | { code: "device-changed" }
  | { code: "tag-on-other-device"; tag: string; device: string }
  | { code: "device-not-named"; marks: DeviceMarks }
  | { code: "loss-not-agreed" }
  | { code: "device-is-medium"; tag: string }
  | { code: "device-unreadable" }
  | { code: "berth-busy"; job: number }
  | { code: "bench-host-taken"; name: string }
  | { code: "pack-gone" }
  | { code: "records-by-folder" }
  | { code: "job-over"; state: string; wish: string }
  | { code: "job-cannot-resume"; state: string }
  | { code: "pack-refused"; problem: PackProblem }
  | { code: "device-fault"; fault: DeviceFaultCode; offset: number | null }
  | { code: "copy-of-medium"; tag: string; device: string }
  | { code: "berth-is-port"; berth: string }
  | { code: "berth-taken"; berth: string }
  | { code: "berth-takes"; berth: string; discs: boolean }
  | { code: "device-elsewhere"; berth: string }
  | { code: "carried-missing"; file: string }
  | { code: "carried-release-missing"; file: string | null }
  | { code: "carried-not-on-release"; path: string; release: string }
  | { code: "release-file-missing"; file: string }
  | { code: "release-never-read" }
  /** Bytes. */
  | { code: "upload-other-size"; file: string; bytes: number; needed: number }
  | { code: "upload-other-file"; file: string }
  | { code: "library-full"; free: number; needed: number }
  | { code: "release-twice" };

/** Expected outcomes that are not what was asked for. */
export type Problem =
  /** `name`: its tag or name, where it was looked for by that. */
  | { code: "not-found"; what: Thing; name?: string }
  | { code: "taken"; field: string; value: string }
  /** Input that does not fit its form: each field's first complaint. */
  | { code: "invalid"; fields: Record<string, string> }
  /** `field`: of the form that asked for it, where it is about one. */
  | { code: "refused"; why: Refusal; field?: string }
  | { code: "stale"; changes: StaleChange[]; version: number };

export type Result<T> = { ok: true; value: T } | { ok: false; problem: Problem };

/** What was asked for. */
export function ok<T>(value: T): Result<T> {
  return { ok: true, value };
}

/** A refusal as data; its sentence is made where it is shown. */
export function fail<T = never>(problem: Problem): Result<T> {
  return { ok: false, problem };
}

/** A refusal of one field, or of the whole where none is named. */
export function refused<T = never>(why: Refusal, field?: string): Result<T> {
  return fail({ code: "refused", why, ...(field === undefined ? {} : { field }) });
}

/** Why a row that can be read is not taken in. */
export type RowRefusal =
  | { code: "serial-of-several"; serial: string; count: number }
  | { code: "serial-of-another"; serial: string; other: string; tag: string }
  | { code: "tag-missing" }
  | { code: "tag-twice"; tag: string; row: number }
  | { code: "serial-twice"; serial: string; row: number }
  | { code: "place-unknown"; place: string }
  /** What is wrong, by field. */
  | { code: "not-taken"; fields: Record<string, string> };

/** What is wrong with a file as a whole. */
type FileRefusal = { code: "no-column-tells" } | { code: "no-rows" } | { code: "no-lines" };

/** What keeps a file from being imported. `told-in-words`: as an import of earlier days has it. */
export type ImportProblem =
  | TableProblem
  | CellProblem
  | RecordProblem
  | LineProblem
  | RowRefusal
  | FileRefusal
  | { code: "told-in-words"; text: string };

export type ImportFault = RowFault<ImportProblem>;

/** A fault as it is kept; older ones are sentences. */
export function readImportFault(
  kept: ImportFault | { row: number | null; column: string | null; text: string },
): ImportFault {
  if ("problem" in kept) return kept;
  return { row: kept.row, column: kept.column, problem: { code: "told-in-words", text: kept.text } };
}
