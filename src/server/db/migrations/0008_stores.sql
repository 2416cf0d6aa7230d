CREATE TABLE IF NOT EXISTS `image_copies` (
	`id` int AUTO_INCREMENT NOT NULL,
	`image_id` int NOT NULL,
	`store_id` int NOT NULL,
	`files` json NOT NULL,
	`state` varchar(10) NOT NULL DEFAULT 'there',
	`seen_on` varchar(10),
	`verified_on` varchar(10),
	`verified_whole` boolean,
	`version` int NOT NULL DEFAULT 1,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `image_copies_id` PRIMARY KEY(`id`),
	CONSTRAINT `image_copies_place` UNIQUE(`image_id`,`store_id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `store_fills` (
	`store_id` int NOT NULL,
	`measured_on` varchar(10) NOT NULL,
	`used_bytes` bigint NOT NULL,
	CONSTRAINT `store_fills_day` PRIMARY KEY(`store_id`,`measured_on`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `store_scans` (
	`id` int AUTO_INCREMENT NOT NULL,
	`store_id` int NOT NULL,
	`state` varchar(12) NOT NULL,
	`is_thorough` boolean NOT NULL DEFAULT false,
	`done_bytes` bigint NOT NULL DEFAULT 0,
	`total_bytes` bigint NOT NULL DEFAULT 0,
	`report` json,
	`problem` varchar(500),
	`person_name` varchar(120) NOT NULL,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `store_scans_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `stores` (
	`id` int AUTO_INCREMENT NOT NULL,
	`name` varchar(120) NOT NULL,
	`kind` varchar(10) NOT NULL,
	`medium_id` int,
	`computer_id` int,
	`disk_serial` varchar(120),
	`site_id` int,
	`reached_from` json,
	`address` varchar(300),
	`link` varchar(12),
	`capacity_bytes` bigint,
	`free_bytes` bigint,
	`measured_on` varchar(10),
	`write_rate` int,
	`read_rate` int,
	`folder` varchar(120),
	`name_pattern` varchar(200),
	`note` text,
	`retired_at` datetime(3),
	`version` int NOT NULL DEFAULT 1,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `stores_id` PRIMARY KEY(`id`),
	CONSTRAINT `stores_name` UNIQUE(`name`)
);
--> statement-breakpoint
ALTER TABLE `system_images` ADD COLUMN IF NOT EXISTS `deleted_at` datetime(3);--> statement-breakpoint
ALTER TABLE `image_copies` ADD CONSTRAINT `image_copies_image_id_system_images_id_fk` FOREIGN KEY IF NOT EXISTS `image_copies_image_id_system_images_id_fk` (`image_id`) REFERENCES `system_images`(`id`) ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `image_copies` ADD CONSTRAINT `image_copies_store_id_stores_id_fk` FOREIGN KEY IF NOT EXISTS `image_copies_store_id_stores_id_fk` (`store_id`) REFERENCES `stores`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `store_fills` ADD CONSTRAINT `store_fills_store_id_stores_id_fk` FOREIGN KEY IF NOT EXISTS `store_fills_store_id_stores_id_fk` (`store_id`) REFERENCES `stores`(`id`) ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `store_scans` ADD CONSTRAINT `store_scans_store_id_stores_id_fk` FOREIGN KEY IF NOT EXISTS `store_scans_store_id_stores_id_fk` (`store_id`) REFERENCES `stores`(`id`) ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `stores` ADD CONSTRAINT `stores_medium_id_media_id_fk` FOREIGN KEY IF NOT EXISTS `stores_medium_id_media_id_fk` (`medium_id`) REFERENCES `media`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `stores` ADD CONSTRAINT `stores_computer_id_computers_id_fk` FOREIGN KEY IF NOT EXISTS `stores_computer_id_computers_id_fk` (`computer_id`) REFERENCES `computers`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `stores` ADD CONSTRAINT `stores_site_id_sites_id_fk` FOREIGN KEY IF NOT EXISTS `stores_site_id_sites_id_fk` (`site_id`) REFERENCES `sites`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `image_copies_store` ON `image_copies` (`store_id`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `store_scans_store` ON `store_scans` (`store_id`,`id`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `stores_medium` ON `stores` (`medium_id`);