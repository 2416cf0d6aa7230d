import { BACKUP_ROUND, backupFolder, backupWork } from "../backup/nightly";
import { EMULATED_DRILL_KIND, emulatedDrillWork } from "../bench/emulated-drills";
import { UPLOAD_KIND, uploadWork } from "../bench/uploads";
import { PLAN_KIND, planWork } from "../cover/plans";
import { IMPORT_KIND, importWork } from "../exchange/imports";
import { SCAN_KIND, scanWork } from "../images/store-scans";
import type { JobKind, Round } from "../jobs/engine";
import { DAY_ROUND, dayWork } from "../upkeep/ahead";
import { DIGEST_ROUND, digestWork } from "../upkeep/digests";
import { CALENDAR_ROUND, calendarWork } from "../upkeep/feed";

/** All work that outlasts a request, by its kind. */
export const KINDS: Readonly<Record<string, JobKind>> = {
  [PLAN_KIND]: planWork,
  [SCAN_KIND]: scanWork,
  [IMPORT_KIND]: importWork,
  [EMULATED_DRILL_KIND]: emulatedDrillWork,
  [UPLOAD_KIND]: uploadWork,
  [DIGEST_ROUND.kind]: digestWork,
  [CALENDAR_ROUND.kind]: calendarWork,
  [DAY_ROUND.kind]: dayWork,
  [BACKUP_ROUND.kind]: backupWork,
};

/** What comes round by itself. */
export const ROUNDS: readonly Round[] = [
  ...[DIGEST_ROUND, CALENDAR_ROUND, DAY_ROUND],
  ...(backupFolder() ? [BACKUP_ROUND] : []),
];
