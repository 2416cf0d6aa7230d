CREATE TABLE IF NOT EXISTS `cover_plans` (
	`id` int AUTO_INCREMENT NOT NULL,
	`name` varchar(120) NOT NULL,
	`state` varchar(12) NOT NULL DEFAULT 'running',
	`settings` json NOT NULL,
	`result` json,
	`told` varchar(500),
	`person_name` varchar(120) NOT NULL,
	`accepted_at` datetime(3),
	`version` int NOT NULL DEFAULT 1,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `cover_plans_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `cover_tasks` (
	`id` int AUTO_INCREMENT NOT NULL,
	`plan_id` int NOT NULL,
	`position` int NOT NULL,
	`body` json NOT NULL,
	`done_at` datetime(3),
	`done_by` varchar(120),
	`version` int NOT NULL DEFAULT 1,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `cover_tasks_id` PRIMARY KEY(`id`),
	CONSTRAINT `cover_tasks_place` UNIQUE(`plan_id`,`position`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `policies` (
	`id` int AUTO_INCREMENT NOT NULL,
	`scope` varchar(12) NOT NULL,
	`target` varchar(200) NOT NULL DEFAULT '',
	`said` json NOT NULL,
	`version` int NOT NULL DEFAULT 1,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `policies_id` PRIMARY KEY(`id`),
	CONSTRAINT `policies_target` UNIQUE(`scope`,`target`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `travels` (
	`id` int AUTO_INCREMENT NOT NULL,
	`from_id` int NOT NULL,
	`to_id` int NOT NULL,
	`minutes` int NOT NULL,
	`version` int NOT NULL DEFAULT 1,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `travels_id` PRIMARY KEY(`id`),
	CONSTRAINT `travels_way` UNIQUE(`from_id`,`to_id`)
);
--> statement-breakpoint
ALTER TABLE `cover_tasks` ADD CONSTRAINT `cover_tasks_plan_id_cover_plans_id_fk` FOREIGN KEY IF NOT EXISTS `cover_tasks_plan_id_cover_plans_id_fk` (`plan_id`) REFERENCES `cover_plans`(`id`) ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `travels` ADD CONSTRAINT `travels_from_id_sites_id_fk` FOREIGN KEY IF NOT EXISTS `travels_from_id_sites_id_fk` (`from_id`) REFERENCES `sites`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `travels` ADD CONSTRAINT `travels_to_id_sites_id_fk` FOREIGN KEY IF NOT EXISTS `travels_to_id_sites_id_fk` (`to_id`) REFERENCES `sites`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `cover_plans_state` ON `cover_plans` (`state`,`id`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `cover_tasks_open` ON `cover_tasks` (`done_at`);