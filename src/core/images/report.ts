import type { StoreFile } from "./grouping";
import type { NameFacts } from "./names";
import type { ScanState } from "./scan";
import type { StoredReading } from "./stored";

/** A file of a copy, with its digest where it was computed. */
export interface CopiedFile extends StoreFile {
  sha256?: string | null;
  /** Somebody said that it is there; nobody looked yet, and its size and time are not known. */
  isTold?: boolean;
}

/** One image that a look through a store found. */
export interface ReportedImage {
  key: string;
  name: string;
  files: CopiedFile[];
  beside: string[];
  storedBytes: number;
  modified: string | null;
  reading: StoredReading;
  state: ScanState;
  /** What its name says, by the store's pattern; null where it says nothing by it. */
  named: NameFacts | null;
  /** Of a known copy whose digests were compared. */
  isWhole: boolean | null;
  /** A published sum that lies beside it, and whether it is right; null where there is none or it was not computed. */
  sumRight: boolean | null;
}

export interface StoreReport {
  images: ReportedImage[];
  /** Names of images of which nothing is there any more. */
  missing: string[];
  /** Files looked at in all, and their bytes. */
  files: number;
  bytes: number;
}
