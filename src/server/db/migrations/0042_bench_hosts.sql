CREATE TABLE IF NOT EXISTS `bench_hosts` (
	`id` int AUTO_INCREMENT NOT NULL,
	`name` varchar(60) NOT NULL,
	`token_id` int NOT NULL,
	`version` varchar(40) NOT NULL,
	`system` varchar(120) NOT NULL,
	`seen_at` datetime(3) NOT NULL,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `bench_hosts_id` PRIMARY KEY(`id`),
	CONSTRAINT `bench_hosts_name` UNIQUE(`name`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `device_looks` (
	`device_id` int NOT NULL,
	`look` json NOT NULL,
	`looked_at` datetime(3) NOT NULL,
	CONSTRAINT `device_looks_device_id` PRIMARY KEY(`device_id`)
);
--> statement-breakpoint
ALTER TABLE `berths` ADD COLUMN IF NOT EXISTS `host_id` int;--> statement-breakpoint
ALTER TABLE `bench_hosts` ADD CONSTRAINT `bench_hosts_token_id_tokens_id_fk` FOREIGN KEY IF NOT EXISTS `bench_hosts_token_id_tokens_id_fk` (`token_id`) REFERENCES `tokens`(`id`) ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `device_looks` ADD CONSTRAINT `device_looks_device_id_devices_id_fk` FOREIGN KEY IF NOT EXISTS `device_looks_device_id_devices_id_fk` (`device_id`) REFERENCES `devices`(`id`) ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `bench_hosts_token` ON `bench_hosts` (`token_id`);--> statement-breakpoint
ALTER TABLE `berths` ADD CONSTRAINT `berths_host_id_bench_hosts_id_fk` FOREIGN KEY IF NOT EXISTS `berths_host_id_bench_hosts_id_fk` (`host_id`) REFERENCES `bench_hosts`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `berths_host` ON `berths` (`host_id`);