import type { Inspection } from "@/core/inspection/schema";

/** What the page asks of the inspecting worker. */
export type InspectRequest = { kind: "inspect"; file: File } | { kind: "digest"; file: File };

/** What the worker tells. A digest is cancelled by ending the worker. */
export type InspectReply =
  | { kind: "inspected"; inspection: Inspection; bytesRead: number }
  | { kind: "progress"; doneBytes: number; totalBytes: number }
  | { kind: "digested"; sha256: string }
  | { kind: "failed"; problem: string };
