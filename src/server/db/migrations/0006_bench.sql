CREATE TABLE IF NOT EXISTS `bench_jobs` (
	`id` int AUTO_INCREMENT NOT NULL,
	`kind` varchar(10) NOT NULL,
	`state` varchar(12) NOT NULL DEFAULT 'queued',
	`berth_id` int NOT NULL,
	`device_id` int NOT NULL,
	`release_id` int,
	`medium_tag` varchar(60),
	`request` json NOT NULL,
	`wish` varchar(10),
	`phase` varchar(12),
	`done_bytes` bigint NOT NULL DEFAULT 0,
	`total_bytes` bigint NOT NULL DEFAULT 0,
	`rate` int,
	`result` json,
	`person_name` varchar(120) NOT NULL,
	`runner` varchar(60),
	`heartbeat_at` datetime(3),
	`started_at` datetime(3),
	`ended_at` datetime(3),
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `bench_jobs_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `bench_lines` (
	`id` int AUTO_INCREMENT NOT NULL,
	`job_id` int NOT NULL,
	`said_at` datetime(3) NOT NULL,
	`line` json NOT NULL,
	CONSTRAINT `bench_lines_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `berths` (
	`id` int AUTO_INCREMENT NOT NULL,
	`name` varchar(60) NOT NULL,
	`accepts` varchar(10) NOT NULL,
	`place` int NOT NULL,
	`device_id` int,
	`version` int NOT NULL DEFAULT 1,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `berths_id` PRIMARY KEY(`id`),
	CONSTRAINT `berths_name` UNIQUE(`name`),
	CONSTRAINT `berths_device` UNIQUE(`device_id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `devices` (
	`id` int AUTO_INCREMENT NOT NULL,
	`kind` varchar(10) NOT NULL,
	`model` varchar(120) NOT NULL,
	`serial` varchar(120),
	`bytes` bigint NOT NULL,
	`sector_bytes` int NOT NULL,
	`simulated_as` varchar(60),
	`medium_id` int,
	`is_store` boolean NOT NULL DEFAULT false,
	`times_written` int NOT NULL DEFAULT 0,
	`bytes_written` bigint NOT NULL DEFAULT 0,
	`write_rate` int,
	`read_rate` int,
	`tested_at` datetime(3),
	`test_result` json,
	`version` int NOT NULL DEFAULT 1,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `devices_id` PRIMARY KEY(`id`),
	CONSTRAINT `devices_simulated` UNIQUE(`simulated_as`)
);
--> statement-breakpoint
ALTER TABLE `bench_jobs` ADD CONSTRAINT `bench_jobs_berth_id_berths_id_fk` FOREIGN KEY IF NOT EXISTS `bench_jobs_berth_id_berths_id_fk` (`berth_id`) REFERENCES `berths`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `bench_jobs` ADD CONSTRAINT `bench_jobs_device_id_devices_id_fk` FOREIGN KEY IF NOT EXISTS `bench_jobs_device_id_devices_id_fk` (`device_id`) REFERENCES `devices`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `bench_jobs` ADD CONSTRAINT `bench_jobs_release_id_releases_id_fk` FOREIGN KEY IF NOT EXISTS `bench_jobs_release_id_releases_id_fk` (`release_id`) REFERENCES `releases`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `bench_lines` ADD CONSTRAINT `bench_lines_job_id_bench_jobs_id_fk` FOREIGN KEY IF NOT EXISTS `bench_lines_job_id_bench_jobs_id_fk` (`job_id`) REFERENCES `bench_jobs`(`id`) ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `berths` ADD CONSTRAINT `berths_device_id_devices_id_fk` FOREIGN KEY IF NOT EXISTS `berths_device_id_devices_id_fk` (`device_id`) REFERENCES `devices`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `devices` ADD CONSTRAINT `devices_medium_id_media_id_fk` FOREIGN KEY IF NOT EXISTS `devices_medium_id_media_id_fk` (`medium_id`) REFERENCES `media`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `bench_jobs_state` ON `bench_jobs` (`state`,`id`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `bench_jobs_berth` ON `bench_jobs` (`berth_id`,`state`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `bench_jobs_device` ON `bench_jobs` (`device_id`,`id`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `bench_lines_job` ON `bench_lines` (`job_id`,`id`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `devices_identity` ON `devices` (`model`,`serial`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `devices_medium` ON `devices` (`medium_id`);