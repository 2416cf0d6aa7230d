import type { PackHead } from "@/core/making/pack/pack";
import type { DriverSource } from "@/core/medium/drivers/driver-set";
import type { Inspection } from "@/core/medium/inspection/schema";
import type { HashName } from "@/core/medium/integrity/hashing";
import type { InnerResult } from "@/core/medium/integrity/inner";
import type { Manifest } from "@/core/medium/integrity/manifest";
import type { Verification } from "@/core/medium/integrity/verify";
import type { Listing } from "@/core/medium/volumes/listing";
import type { Dropped } from "./dropped";

/** What the page asks of the reading worker: one thing a worker. Ending the worker cancels it. */
export type ReadRequest =
  /** Quick or deep; a deep one tells what it is at. */
  | { kind: "inspect"; file: Dropped; depth: "quick" | "deep" }
  /** All files of the medium, or those in a file of it that holds files itself. */
  | { kind: "list"; file: Dropped; inside?: { volume: string | number; path: string } }
  | { kind: "digest"; file: Dropped; hash: HashName }
  | { kind: "manifest"; file: Dropped }
  | { kind: "verify"; file: Dropped; manifest: Manifest }
  /** By the sums that it carries itself. */
  | { kind: "inner"; file: Dropped }
  /** What it says of itself, where it was made here. */
  | { kind: "glance"; file: Dropped }
  /** The content of one file of the medium. */
  | { kind: "extract"; file: Dropped; volume: string | number; path: string };

/** What is told while it works. */
export type ReadNews = { kind: "step"; path: string } | { kind: "progress"; doneBytes: number; totalBytes: number };

export type ReadReply =
  | { kind: "inspected"; inspection: Inspection; drivers: DriverSource[]; bytesRead: number }
  | { kind: "listed"; listing: Listing }
  | { kind: "digested"; digest: string }
  | { kind: "manifested"; manifest: Manifest }
  | { kind: "verified"; verification: Verification }
  | { kind: "innerly"; inner: InnerResult }
  | { kind: "extracted"; content: Blob }
  | { kind: "glanced"; head: PackHead | null }
  | { kind: "failed"; problem: string };
