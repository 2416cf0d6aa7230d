-- Of jobs that were let into one berth at the same time the latest stays.
UPDATE `bench_jobs` AS `older` INNER JOIN `bench_jobs` AS `newer` ON `newer`.`berth_id` = `older`.`berth_id` AND `newer`.`id` > `older`.`id` AND `newer`.`state` IN ('queued', 'running', 'paused', 'interrupted') SET `older`.`state` = 'cancelled', `older`.`ended_at` = UTC_TIMESTAMP(3) WHERE `older`.`state` IN ('queued', 'running', 'paused', 'interrupted');
--> statement-breakpoint
ALTER TABLE `bench_jobs` ADD COLUMN IF NOT EXISTS `holds_berth_id` int GENERATED ALWAYS AS (IF(state IN ('queued', 'running', 'paused', 'interrupted'), berth_id, NULL)) VIRTUAL;--> statement-breakpoint
CREATE UNIQUE INDEX IF NOT EXISTS `bench_jobs_holds` ON `bench_jobs` (`holds_berth_id`);