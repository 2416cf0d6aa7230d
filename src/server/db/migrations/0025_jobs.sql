CREATE TABLE IF NOT EXISTS `job_lines` (
	`id` int AUTO_INCREMENT NOT NULL,
	`job_id` int NOT NULL,
	`said_at` datetime(3) NOT NULL,
	`line` json NOT NULL,
	CONSTRAINT `job_lines_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `jobs` (
	`id` int AUTO_INCREMENT NOT NULL,
	`kind` varchar(30) NOT NULL,
	`payload` json NOT NULL,
	`state` varchar(12) NOT NULL DEFAULT 'queued',
	`host` varchar(80),
	`holds` varchar(120),
	`once_key` varchar(120),
	`due_at` datetime(3) NOT NULL,
	`wish` varchar(10),
	`progress` json,
	`token` varchar(60),
	`lease_until` datetime(3),
	`attempts` int NOT NULL DEFAULT 0,
	`result` json,
	`failure` varchar(12),
	`person_id` int,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`started_at` datetime(3),
	`ended_at` datetime(3),
	CONSTRAINT `jobs_id` PRIMARY KEY(`id`),
	CONSTRAINT `jobs_holds` UNIQUE(`holds`),
	CONSTRAINT `jobs_once` UNIQUE(`once_key`)
);
--> statement-breakpoint
ALTER TABLE `job_lines` ADD CONSTRAINT `job_lines_job_id_jobs_id_fk` FOREIGN KEY IF NOT EXISTS `job_lines_job_id_jobs_id_fk` (`job_id`) REFERENCES `jobs`(`id`) ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `jobs` ADD CONSTRAINT `jobs_person_id_people_id_fk` FOREIGN KEY IF NOT EXISTS `jobs_person_id_people_id_fk` (`person_id`) REFERENCES `people`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `job_lines_job` ON `job_lines` (`job_id`,`id`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `jobs_waiting` ON `jobs` (`state`,`due_at`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `jobs_ended` ON `jobs` (`ended_at`);