import type { ImportState } from "@/server/exchange/options";

export const IMPORT_STATE_TEXT: Record<ImportState, string> = {
  staged: "not checked yet",
  checking: "being checked",
  checked: "checked, not imported",
  running: "being imported",
  cancelling: "being cancelled",
  done: "imported",
  failed: "failed, nothing was imported",
  interrupted: "cut off by a restart, nothing was imported",
};
