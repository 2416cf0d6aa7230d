import type { DriverSource } from "@/core/medium/drivers/driver-set";
import type { Inspection } from "@/core/medium/inspection/schema";
import type { HashName } from "@/core/medium/integrity/hashing";
import type { InnerResult } from "@/core/medium/integrity/inner";
import type { Manifest } from "@/core/medium/integrity/manifest";
import type { Verification } from "@/core/medium/integrity/verify";
import type { Listing } from "@/core/medium/volumes/listing";

/** What the page asks of the reading worker: one thing a worker. Ending the worker cancels it. */
export type ReadRequest =
  /** Quick or deep; a deep one tells what it is at. */
  | { kind: "inspect"; file: File; depth: "quick" | "deep" }
  /** All files of the medium, or those in a file of it that holds files itself. */
  | { kind: "list"; file: File; inside?: { volume: string | number; path: string } }
  | { kind: "digest"; file: File; hash: HashName }
  | { kind: "manifest"; file: File }
  | { kind: "verify"; file: File; manifest: Manifest }
  /** By the sums that it carries itself. */
  | { kind: "inner"; file: File }
  /** The content of one file of the medium. */
  | { kind: "extract"; file: File; volume: string | number; path: string };

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
  | { kind: "failed"; problem: string };
