-- Who did something is told by id, days are dates, and what firmware makes of media is kept once. Each statement can be
-- done again, where a start was killed half-way; what is taken out goes in the next migration.
CREATE TABLE IF NOT EXISTS `inspection_views` (
	`views_key` char(64) NOT NULL,
	`body` json NOT NULL,
	CONSTRAINT `inspection_views_views_key` PRIMARY KEY(`views_key`)
);--> statement-breakpoint
INSERT IGNORE INTO `inspection_views` (`views_key`, `body`) SELECT i.`views_key`, JSON_EXTRACT(i.`body`, '$.views') FROM `inspections` i JOIN (SELECT MIN(`id`) AS `id` FROM `inspections` WHERE JSON_EXTRACT(`body`, '$.views') IS NOT NULL GROUP BY `views_key`) f ON f.`id` = i.`id`;--> statement-breakpoint
ALTER TABLE `bench_jobs` ADD COLUMN IF NOT EXISTS `person_name` varchar(120);--> statement-breakpoint
ALTER TABLE `callout_marks` ADD COLUMN IF NOT EXISTS `person_name` varchar(120);--> statement-breakpoint
ALTER TABLE `callouts` ADD COLUMN IF NOT EXISTS `opened_by` varchar(120);--> statement-breakpoint
ALTER TABLE `noted_changes` ADD COLUMN IF NOT EXISTS `person_name` varchar(120);--> statement-breakpoint
ALTER TABLE `store_scans` ADD COLUMN IF NOT EXISTS `person_name` varchar(120);--> statement-breakpoint
ALTER TABLE `rehearsals` ADD COLUMN IF NOT EXISTS `person_name` varchar(120);--> statement-breakpoint
ALTER TABLE `loans` ADD COLUMN IF NOT EXISTS `person_name` varchar(120);--> statement-breakpoint
ALTER TABLE `planned_drills` ADD COLUMN IF NOT EXISTS `person_name` varchar(120);--> statement-breakpoint
ALTER TABLE `stocktakes` ADD COLUMN IF NOT EXISTS `person_name` varchar(120);--> statement-breakpoint
ALTER TABLE `cover_plans` ADD COLUMN IF NOT EXISTS `person_name` varchar(120);--> statement-breakpoint
ALTER TABLE `cover_tasks` ADD COLUMN IF NOT EXISTS `done_by` varchar(120);--> statement-breakpoint
ALTER TABLE `snoozes` ADD COLUMN IF NOT EXISTS `person_name` varchar(120);--> statement-breakpoint
ALTER TABLE `batches` ADD COLUMN IF NOT EXISTS `person_name` varchar(120);--> statement-breakpoint
ALTER TABLE `imports` ADD COLUMN IF NOT EXISTS `person_name` varchar(120);--> statement-breakpoint
INSERT INTO `people` (`name`) SELECT DISTINCT x.`person_name` FROM `bench_jobs` x WHERE x.`person_name` IS NOT NULL AND NOT EXISTS (SELECT 1 FROM `people` p WHERE p.`name` = x.`person_name`);--> statement-breakpoint
INSERT INTO `people` (`name`) SELECT DISTINCT x.`person_name` FROM `callout_marks` x WHERE x.`person_name` IS NOT NULL AND NOT EXISTS (SELECT 1 FROM `people` p WHERE p.`name` = x.`person_name`);--> statement-breakpoint
INSERT INTO `people` (`name`) SELECT DISTINCT x.`opened_by` FROM `callouts` x WHERE x.`opened_by` IS NOT NULL AND NOT EXISTS (SELECT 1 FROM `people` p WHERE p.`name` = x.`opened_by`);--> statement-breakpoint
INSERT INTO `people` (`name`) SELECT DISTINCT x.`person_name` FROM `noted_changes` x WHERE x.`person_name` IS NOT NULL AND NOT EXISTS (SELECT 1 FROM `people` p WHERE p.`name` = x.`person_name`);--> statement-breakpoint
INSERT INTO `people` (`name`) SELECT DISTINCT x.`person_name` FROM `store_scans` x WHERE x.`person_name` IS NOT NULL AND NOT EXISTS (SELECT 1 FROM `people` p WHERE p.`name` = x.`person_name`);--> statement-breakpoint
INSERT INTO `people` (`name`) SELECT DISTINCT x.`person_name` FROM `rehearsals` x WHERE x.`person_name` IS NOT NULL AND NOT EXISTS (SELECT 1 FROM `people` p WHERE p.`name` = x.`person_name`);--> statement-breakpoint
INSERT INTO `people` (`name`) SELECT DISTINCT x.`person_name` FROM `loans` x WHERE x.`person_name` IS NOT NULL AND NOT EXISTS (SELECT 1 FROM `people` p WHERE p.`name` = x.`person_name`);--> statement-breakpoint
INSERT INTO `people` (`name`) SELECT DISTINCT x.`person_name` FROM `planned_drills` x WHERE x.`person_name` IS NOT NULL AND NOT EXISTS (SELECT 1 FROM `people` p WHERE p.`name` = x.`person_name`);--> statement-breakpoint
INSERT INTO `people` (`name`) SELECT DISTINCT x.`person_name` FROM `stocktakes` x WHERE x.`person_name` IS NOT NULL AND NOT EXISTS (SELECT 1 FROM `people` p WHERE p.`name` = x.`person_name`);--> statement-breakpoint
INSERT INTO `people` (`name`) SELECT DISTINCT x.`person_name` FROM `cover_plans` x WHERE x.`person_name` IS NOT NULL AND NOT EXISTS (SELECT 1 FROM `people` p WHERE p.`name` = x.`person_name`);--> statement-breakpoint
INSERT INTO `people` (`name`) SELECT DISTINCT x.`done_by` FROM `cover_tasks` x WHERE x.`done_by` IS NOT NULL AND NOT EXISTS (SELECT 1 FROM `people` p WHERE p.`name` = x.`done_by`);--> statement-breakpoint
INSERT INTO `people` (`name`) SELECT DISTINCT x.`person_name` FROM `snoozes` x WHERE x.`person_name` IS NOT NULL AND NOT EXISTS (SELECT 1 FROM `people` p WHERE p.`name` = x.`person_name`);--> statement-breakpoint
INSERT INTO `people` (`name`) SELECT DISTINCT x.`person_name` FROM `batches` x WHERE x.`person_name` IS NOT NULL AND NOT EXISTS (SELECT 1 FROM `people` p WHERE p.`name` = x.`person_name`);--> statement-breakpoint
INSERT INTO `people` (`name`) SELECT DISTINCT x.`person_name` FROM `imports` x WHERE x.`person_name` IS NOT NULL AND NOT EXISTS (SELECT 1 FROM `people` p WHERE p.`name` = x.`person_name`);--> statement-breakpoint
INSERT INTO `people` (`name`) SELECT DISTINCT x.`person_name` FROM `events` x WHERE x.`person_name` IS NOT NULL AND NOT EXISTS (SELECT 1 FROM `people` p WHERE p.`name` = x.`person_name`);--> statement-breakpoint
ALTER TABLE `bench_jobs` ADD COLUMN IF NOT EXISTS `person_id` int;--> statement-breakpoint
UPDATE `bench_jobs` x SET x.`person_id` = (SELECT MIN(p.`id`) FROM `people` p WHERE p.`name` = x.`person_name`) WHERE x.`person_id` IS NULL;--> statement-breakpoint
ALTER TABLE `bench_jobs` MODIFY COLUMN `person_id` int NOT NULL;--> statement-breakpoint
ALTER TABLE `callout_marks` ADD COLUMN IF NOT EXISTS `person_id` int;--> statement-breakpoint
UPDATE `callout_marks` x SET x.`person_id` = (SELECT MIN(p.`id`) FROM `people` p WHERE p.`name` = x.`person_name`) WHERE x.`person_id` IS NULL;--> statement-breakpoint
ALTER TABLE `callout_marks` MODIFY COLUMN `person_id` int NOT NULL;--> statement-breakpoint
ALTER TABLE `callouts` ADD COLUMN IF NOT EXISTS `opened_by_id` int;--> statement-breakpoint
UPDATE `callouts` x SET x.`opened_by_id` = (SELECT MIN(p.`id`) FROM `people` p WHERE p.`name` = x.`opened_by`) WHERE x.`opened_by_id` IS NULL;--> statement-breakpoint
ALTER TABLE `callouts` MODIFY COLUMN `opened_by_id` int NOT NULL;--> statement-breakpoint
ALTER TABLE `noted_changes` ADD COLUMN IF NOT EXISTS `person_id` int;--> statement-breakpoint
UPDATE `noted_changes` x SET x.`person_id` = (SELECT MIN(p.`id`) FROM `people` p WHERE p.`name` = x.`person_name`) WHERE x.`person_id` IS NULL;--> statement-breakpoint
ALTER TABLE `noted_changes` MODIFY COLUMN `person_id` int NOT NULL;--> statement-breakpoint
ALTER TABLE `store_scans` ADD COLUMN IF NOT EXISTS `person_id` int;--> statement-breakpoint
UPDATE `store_scans` x SET x.`person_id` = (SELECT MIN(p.`id`) FROM `people` p WHERE p.`name` = x.`person_name`) WHERE x.`person_id` IS NULL;--> statement-breakpoint
ALTER TABLE `store_scans` MODIFY COLUMN `person_id` int NOT NULL;--> statement-breakpoint
ALTER TABLE `rehearsals` ADD COLUMN IF NOT EXISTS `person_id` int;--> statement-breakpoint
UPDATE `rehearsals` x SET x.`person_id` = (SELECT MIN(p.`id`) FROM `people` p WHERE p.`name` = x.`person_name`) WHERE x.`person_id` IS NULL;--> statement-breakpoint
ALTER TABLE `rehearsals` MODIFY COLUMN `person_id` int NOT NULL;--> statement-breakpoint
ALTER TABLE `loans` ADD COLUMN IF NOT EXISTS `person_id` int;--> statement-breakpoint
UPDATE `loans` x SET x.`person_id` = (SELECT MIN(p.`id`) FROM `people` p WHERE p.`name` = x.`person_name`) WHERE x.`person_id` IS NULL;--> statement-breakpoint
ALTER TABLE `loans` MODIFY COLUMN `person_id` int NOT NULL;--> statement-breakpoint
ALTER TABLE `planned_drills` ADD COLUMN IF NOT EXISTS `person_id` int;--> statement-breakpoint
UPDATE `planned_drills` x SET x.`person_id` = (SELECT MIN(p.`id`) FROM `people` p WHERE p.`name` = x.`person_name`) WHERE x.`person_id` IS NULL;--> statement-breakpoint
ALTER TABLE `planned_drills` MODIFY COLUMN `person_id` int NOT NULL;--> statement-breakpoint
ALTER TABLE `stocktakes` ADD COLUMN IF NOT EXISTS `person_id` int;--> statement-breakpoint
UPDATE `stocktakes` x SET x.`person_id` = (SELECT MIN(p.`id`) FROM `people` p WHERE p.`name` = x.`person_name`) WHERE x.`person_id` IS NULL;--> statement-breakpoint
ALTER TABLE `stocktakes` MODIFY COLUMN `person_id` int NOT NULL;--> statement-breakpoint
ALTER TABLE `cover_plans` ADD COLUMN IF NOT EXISTS `person_id` int;--> statement-breakpoint
UPDATE `cover_plans` x SET x.`person_id` = (SELECT MIN(p.`id`) FROM `people` p WHERE p.`name` = x.`person_name`) WHERE x.`person_id` IS NULL;--> statement-breakpoint
ALTER TABLE `cover_plans` MODIFY COLUMN `person_id` int NOT NULL;--> statement-breakpoint
ALTER TABLE `cover_tasks` ADD COLUMN IF NOT EXISTS `done_by_id` int;--> statement-breakpoint
UPDATE `cover_tasks` x SET x.`done_by_id` = (SELECT MIN(p.`id`) FROM `people` p WHERE p.`name` = x.`done_by`) WHERE x.`done_by_id` IS NULL;--> statement-breakpoint
ALTER TABLE `snoozes` ADD COLUMN IF NOT EXISTS `person_id` int;--> statement-breakpoint
UPDATE `snoozes` x SET x.`person_id` = (SELECT MIN(p.`id`) FROM `people` p WHERE p.`name` = x.`person_name`) WHERE x.`person_id` IS NULL;--> statement-breakpoint
ALTER TABLE `snoozes` MODIFY COLUMN `person_id` int NOT NULL;--> statement-breakpoint
UPDATE `batches` x SET x.`person_id` = (SELECT MIN(p.`id`) FROM `people` p WHERE p.`name` = x.`person_name`) WHERE NOT EXISTS (SELECT 1 FROM `people` q WHERE q.`id` = x.`person_id`);--> statement-breakpoint
UPDATE `imports` x SET x.`person_id` = (SELECT MIN(p.`id`) FROM `people` p WHERE p.`name` = x.`person_name`) WHERE NOT EXISTS (SELECT 1 FROM `people` q WHERE q.`id` = x.`person_id`);--> statement-breakpoint
UPDATE `events` x SET x.`person_id` = (SELECT MIN(p.`id`) FROM `people` p WHERE p.`name` = x.`person_name`) WHERE NOT EXISTS (SELECT 1 FROM `people` q WHERE q.`id` = x.`person_id`);--> statement-breakpoint
UPDATE `saved_views` x SET x.`person_id` = (SELECT MIN(p.`id`) FROM `people` p) WHERE NOT EXISTS (SELECT 1 FROM `people` q WHERE q.`id` = x.`person_id`);--> statement-breakpoint
UPDATE `releases` x SET x.`inspection_id` = NULL WHERE x.`inspection_id` IS NOT NULL AND NOT EXISTS (SELECT 1 FROM `inspections` i WHERE i.`id` = x.`inspection_id`);--> statement-breakpoint
UPDATE `releases` x LEFT JOIN `releases` y ON y.`id` = x.`superseded_by_id` SET x.`superseded_by_id` = NULL WHERE y.`id` IS NULL;--> statement-breakpoint
UPDATE `callouts` SET `since` = NULL WHERE `since` IS NOT NULL AND `since` NOT REGEXP '^[0-9]{4}-[0-9]{2}-[0-9]{2}$';--> statement-breakpoint
ALTER TABLE `callouts` MODIFY COLUMN `since` date;--> statement-breakpoint
UPDATE `image_copies` SET `seen_on` = NULL WHERE `seen_on` IS NOT NULL AND `seen_on` NOT REGEXP '^[0-9]{4}-[0-9]{2}-[0-9]{2}$';--> statement-breakpoint
ALTER TABLE `image_copies` MODIFY COLUMN `seen_on` date;--> statement-breakpoint
UPDATE `image_copies` SET `verified_on` = NULL WHERE `verified_on` IS NOT NULL AND `verified_on` NOT REGEXP '^[0-9]{4}-[0-9]{2}-[0-9]{2}$';--> statement-breakpoint
ALTER TABLE `image_copies` MODIFY COLUMN `verified_on` date;--> statement-breakpoint
ALTER TABLE `noted_changes` MODIFY COLUMN `made_on` date NOT NULL;--> statement-breakpoint
ALTER TABLE `store_fills` MODIFY COLUMN `measured_on` date NOT NULL;--> statement-breakpoint
UPDATE `stores` SET `measured_on` = NULL WHERE `measured_on` IS NOT NULL AND `measured_on` NOT REGEXP '^[0-9]{4}-[0-9]{2}-[0-9]{2}$';--> statement-breakpoint
ALTER TABLE `stores` MODIFY COLUMN `measured_on` date;--> statement-breakpoint
ALTER TABLE `drills` MODIFY COLUMN `held_on` date NOT NULL;--> statement-breakpoint
UPDATE `loads` SET `written_on` = NULL WHERE `written_on` IS NOT NULL AND `written_on` NOT REGEXP '^[0-9]{4}-[0-9]{2}-[0-9]{2}$';--> statement-breakpoint
ALTER TABLE `loads` MODIFY COLUMN `written_on` date;--> statement-breakpoint
ALTER TABLE `loans` MODIFY COLUMN `since` date NOT NULL;--> statement-breakpoint
UPDATE `loans` SET `due_on` = NULL WHERE `due_on` IS NOT NULL AND `due_on` NOT REGEXP '^[0-9]{4}-[0-9]{2}-[0-9]{2}$';--> statement-breakpoint
ALTER TABLE `loans` MODIFY COLUMN `due_on` date;--> statement-breakpoint
UPDATE `loans` SET `returned_on` = NULL WHERE `returned_on` IS NOT NULL AND `returned_on` NOT REGEXP '^[0-9]{4}-[0-9]{2}-[0-9]{2}$';--> statement-breakpoint
ALTER TABLE `loans` MODIFY COLUMN `returned_on` date;--> statement-breakpoint
UPDATE `media` SET `written_on` = NULL WHERE `written_on` IS NOT NULL AND `written_on` NOT REGEXP '^[0-9]{4}-[0-9]{2}-[0-9]{2}$';--> statement-breakpoint
ALTER TABLE `media` MODIFY COLUMN `written_on` date;--> statement-breakpoint
UPDATE `media` SET `verified_on` = NULL WHERE `verified_on` IS NOT NULL AND `verified_on` NOT REGEXP '^[0-9]{4}-[0-9]{2}-[0-9]{2}$';--> statement-breakpoint
ALTER TABLE `media` MODIFY COLUMN `verified_on` date;--> statement-breakpoint
UPDATE `media` SET `sampled_on` = NULL WHERE `sampled_on` IS NOT NULL AND `sampled_on` NOT REGEXP '^[0-9]{4}-[0-9]{2}-[0-9]{2}$';--> statement-breakpoint
ALTER TABLE `media` MODIFY COLUMN `sampled_on` date;--> statement-breakpoint
ALTER TABLE `planned_drills` MODIFY COLUMN `due_on` date NOT NULL;--> statement-breakpoint
UPDATE `releases` SET `made_on` = NULL WHERE `made_on` IS NOT NULL AND `made_on` NOT REGEXP '^[0-9]{4}-[0-9]{2}-[0-9]{2}$';--> statement-breakpoint
ALTER TABLE `releases` MODIFY COLUMN `made_on` date;--> statement-breakpoint
ALTER TABLE `stocktakes` MODIFY COLUMN `held_on` date NOT NULL;--> statement-breakpoint
ALTER TABLE `cover_days` MODIFY COLUMN `on_day` date NOT NULL;--> statement-breakpoint
ALTER TABLE `feed_entries` MODIFY COLUMN `on_day` date NOT NULL;--> statement-breakpoint
ALTER TABLE `snoozes` MODIFY COLUMN `until_day` date NOT NULL;--> statement-breakpoint
ALTER TABLE `bench_jobs` ADD CONSTRAINT `bench_jobs_person_id_people_id_fk` FOREIGN KEY IF NOT EXISTS `bench_jobs_person_id_people_id_fk` (`person_id`) REFERENCES `people`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `callout_marks` ADD CONSTRAINT `callout_marks_person_id_people_id_fk` FOREIGN KEY IF NOT EXISTS `callout_marks_person_id_people_id_fk` (`person_id`) REFERENCES `people`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `callouts` ADD CONSTRAINT `callouts_opened_by_id_people_id_fk` FOREIGN KEY IF NOT EXISTS `callouts_opened_by_id_people_id_fk` (`opened_by_id`) REFERENCES `people`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `batches` ADD CONSTRAINT `batches_person_id_people_id_fk` FOREIGN KEY IF NOT EXISTS `batches_person_id_people_id_fk` (`person_id`) REFERENCES `people`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `imports` ADD CONSTRAINT `imports_person_id_people_id_fk` FOREIGN KEY IF NOT EXISTS `imports_person_id_people_id_fk` (`person_id`) REFERENCES `people`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `saved_views` ADD CONSTRAINT `saved_views_person_id_people_id_fk` FOREIGN KEY IF NOT EXISTS `saved_views_person_id_people_id_fk` (`person_id`) REFERENCES `people`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `noted_changes` ADD CONSTRAINT `noted_changes_person_id_people_id_fk` FOREIGN KEY IF NOT EXISTS `noted_changes_person_id_people_id_fk` (`person_id`) REFERENCES `people`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `store_scans` ADD CONSTRAINT `store_scans_person_id_people_id_fk` FOREIGN KEY IF NOT EXISTS `store_scans_person_id_people_id_fk` (`person_id`) REFERENCES `people`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `events` ADD CONSTRAINT `events_person_id_people_id_fk` FOREIGN KEY IF NOT EXISTS `events_person_id_people_id_fk` (`person_id`) REFERENCES `people`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `rehearsals` ADD CONSTRAINT `rehearsals_person_id_people_id_fk` FOREIGN KEY IF NOT EXISTS `rehearsals_person_id_people_id_fk` (`person_id`) REFERENCES `people`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `inspections` ADD CONSTRAINT `inspections_views_key_inspection_views_views_key_fk` FOREIGN KEY IF NOT EXISTS `inspections_views_key_inspection_views_views_key_fk` (`views_key`) REFERENCES `inspection_views`(`views_key`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `loans` ADD CONSTRAINT `loans_person_id_people_id_fk` FOREIGN KEY IF NOT EXISTS `loans_person_id_people_id_fk` (`person_id`) REFERENCES `people`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `planned_drills` ADD CONSTRAINT `planned_drills_person_id_people_id_fk` FOREIGN KEY IF NOT EXISTS `planned_drills_person_id_people_id_fk` (`person_id`) REFERENCES `people`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `releases` ADD CONSTRAINT `releases_inspection_id_inspections_id_fk` FOREIGN KEY IF NOT EXISTS `releases_inspection_id_inspections_id_fk` (`inspection_id`) REFERENCES `inspections`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `releases` ADD CONSTRAINT `releases_superseded_by_id_releases_id_fk` FOREIGN KEY IF NOT EXISTS `releases_superseded_by_id_releases_id_fk` (`superseded_by_id`) REFERENCES `releases`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `stocktakes` ADD CONSTRAINT `stocktakes_person_id_people_id_fk` FOREIGN KEY IF NOT EXISTS `stocktakes_person_id_people_id_fk` (`person_id`) REFERENCES `people`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `cover_plans` ADD CONSTRAINT `cover_plans_person_id_people_id_fk` FOREIGN KEY IF NOT EXISTS `cover_plans_person_id_people_id_fk` (`person_id`) REFERENCES `people`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `cover_tasks` ADD CONSTRAINT `cover_tasks_done_by_id_people_id_fk` FOREIGN KEY IF NOT EXISTS `cover_tasks_done_by_id_people_id_fk` (`done_by_id`) REFERENCES `people`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `snoozes` ADD CONSTRAINT `snoozes_person_id_people_id_fk` FOREIGN KEY IF NOT EXISTS `snoozes_person_id_people_id_fk` (`person_id`) REFERENCES `people`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `bench_jobs_ended` ON `bench_jobs` (`ended_at`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `releases_successor` ON `releases` (`superseded_by_id`);
