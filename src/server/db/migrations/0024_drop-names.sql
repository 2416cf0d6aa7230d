-- What the migration before this one put elsewhere.
UPDATE `inspections` SET `body` = JSON_REMOVE(`body`, '$.views', '$.startPaths') WHERE JSON_EXTRACT(`body`, '$.views') IS NOT NULL;--> statement-breakpoint
ALTER TABLE `bench_jobs` DROP COLUMN IF EXISTS `person_name`;--> statement-breakpoint
ALTER TABLE `callout_marks` DROP COLUMN IF EXISTS `person_name`;--> statement-breakpoint
ALTER TABLE `callouts` DROP COLUMN IF EXISTS `opened_by`;--> statement-breakpoint
ALTER TABLE `batches` DROP COLUMN IF EXISTS `person_name`;--> statement-breakpoint
ALTER TABLE `imports` DROP COLUMN IF EXISTS `person_name`;--> statement-breakpoint
ALTER TABLE `noted_changes` DROP COLUMN IF EXISTS `person_name`;--> statement-breakpoint
ALTER TABLE `store_scans` DROP COLUMN IF EXISTS `person_name`;--> statement-breakpoint
ALTER TABLE `rehearsals` DROP COLUMN IF EXISTS `person_name`;--> statement-breakpoint
ALTER TABLE `loans` DROP COLUMN IF EXISTS `person_name`;--> statement-breakpoint
ALTER TABLE `planned_drills` DROP COLUMN IF EXISTS `person_name`;--> statement-breakpoint
ALTER TABLE `stocktakes` DROP COLUMN IF EXISTS `person_name`;--> statement-breakpoint
ALTER TABLE `cover_plans` DROP COLUMN IF EXISTS `person_name`;--> statement-breakpoint
ALTER TABLE `cover_tasks` DROP COLUMN IF EXISTS `done_by`;--> statement-breakpoint
ALTER TABLE `snoozes` DROP COLUMN IF EXISTS `person_name`;
