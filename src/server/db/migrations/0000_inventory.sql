CREATE TABLE IF NOT EXISTS `computers` (
	`id` int AUTO_INCREMENT NOT NULL,
	`tag` varchar(60) NOT NULL,
	`name` varchar(120),
	`site_id` int,
	`make` varchar(200),
	`model` varchar(200),
	`serial` varchar(200),
	`form` varchar(20),
	`firmware_kind` varchar(10),
	`firmware_arch` varchar(10),
	`facts` json NOT NULL,
	`start_profile` varchar(190) NOT NULL,
	`note` text,
	`retired_at` datetime(3),
	`version` int NOT NULL DEFAULT 1,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `computers_id` PRIMARY KEY(`id`),
	CONSTRAINT `computers_tag` UNIQUE(`tag`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `disks` (
	`id` int AUTO_INCREMENT NOT NULL,
	`computer_id` int NOT NULL,
	`position` int NOT NULL,
	`name` varchar(100) NOT NULL,
	`bytes` bigint NOT NULL,
	`bus` varchar(40),
	`model` varchar(200),
	`serial` varchar(200),
	`removable` boolean,
	`facts` json NOT NULL,
	CONSTRAINT `disks_id` PRIMARY KEY(`id`),
	CONSTRAINT `disks_place` UNIQUE(`computer_id`,`position`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `events` (
	`id` int AUTO_INCREMENT NOT NULL,
	`at` datetime(3) NOT NULL,
	`person_id` int NOT NULL,
	`person_name` varchar(120) NOT NULL,
	`entity` varchar(20) NOT NULL,
	`entity_id` int NOT NULL,
	`entity_tag` varchar(120) NOT NULL,
	`action` varchar(20) NOT NULL,
	`entity_version` int NOT NULL,
	`before` json,
	`after` json,
	CONSTRAINT `events_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `inspections` (
	`id` int AUTO_INCREMENT NOT NULL,
	`file_name` varchar(255) NOT NULL,
	`bytes` bigint NOT NULL,
	`sha256` char(64),
	`views_key` char(64) NOT NULL,
	`fault` varchar(500),
	`body` json NOT NULL,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `inspections_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `kits` (
	`id` int AUTO_INCREMENT NOT NULL,
	`name` varchar(120) NOT NULL,
	`purpose` varchar(300),
	`version` int NOT NULL DEFAULT 1,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `kits_id` PRIMARY KEY(`id`),
	CONSTRAINT `kits_name` UNIQUE(`name`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `loads` (
	`id` int AUTO_INCREMENT NOT NULL,
	`medium_id` int NOT NULL,
	`release_id` int NOT NULL,
	`written_on` varchar(10),
	CONSTRAINT `loads_id` PRIMARY KEY(`id`),
	CONSTRAINT `loads_place` UNIQUE(`medium_id`,`release_id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `media` (
	`id` int AUTO_INCREMENT NOT NULL,
	`tag` varchar(60) NOT NULL,
	`name` varchar(120),
	`kind` varchar(10) NOT NULL,
	`capacity_bytes` bigint,
	`site_id` int,
	`lent_to` varchar(120),
	`note` text,
	`inspection_id` int,
	`retired_at` datetime(3),
	`version` int NOT NULL DEFAULT 1,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `media_id` PRIMARY KEY(`id`),
	CONSTRAINT `media_tag` UNIQUE(`tag`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `people` (
	`id` int AUTO_INCREMENT NOT NULL,
	`name` varchar(120) NOT NULL,
	`role` varchar(120),
	CONSTRAINT `people_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `releases` (
	`id` int AUTO_INCREMENT NOT NULL,
	`kit_id` int NOT NULL,
	`name` varchar(60) NOT NULL,
	`made_on` varchar(10),
	`note` text,
	`version` int NOT NULL DEFAULT 1,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `releases_id` PRIMARY KEY(`id`),
	CONSTRAINT `releases_name` UNIQUE(`kit_id`,`name`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `sites` (
	`id` int AUTO_INCREMENT NOT NULL,
	`name` varchar(120) NOT NULL,
	`place` varchar(200),
	`version` int NOT NULL DEFAULT 1,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `sites_id` PRIMARY KEY(`id`),
	CONSTRAINT `sites_name` UNIQUE(`name`)
);
--> statement-breakpoint
ALTER TABLE `computers` ADD CONSTRAINT `computers_site_id_sites_id_fk` FOREIGN KEY IF NOT EXISTS `computers_site_id_sites_id_fk` (`site_id`) REFERENCES `sites`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `disks` ADD CONSTRAINT `disks_computer_id_computers_id_fk` FOREIGN KEY IF NOT EXISTS `disks_computer_id_computers_id_fk` (`computer_id`) REFERENCES `computers`(`id`) ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `loads` ADD CONSTRAINT `loads_medium_id_media_id_fk` FOREIGN KEY IF NOT EXISTS `loads_medium_id_media_id_fk` (`medium_id`) REFERENCES `media`(`id`) ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `loads` ADD CONSTRAINT `loads_release_id_releases_id_fk` FOREIGN KEY IF NOT EXISTS `loads_release_id_releases_id_fk` (`release_id`) REFERENCES `releases`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `media` ADD CONSTRAINT `media_site_id_sites_id_fk` FOREIGN KEY IF NOT EXISTS `media_site_id_sites_id_fk` (`site_id`) REFERENCES `sites`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `media` ADD CONSTRAINT `media_inspection_id_inspections_id_fk` FOREIGN KEY IF NOT EXISTS `media_inspection_id_inspections_id_fk` (`inspection_id`) REFERENCES `inspections`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `releases` ADD CONSTRAINT `releases_kit_id_kits_id_fk` FOREIGN KEY IF NOT EXISTS `releases_kit_id_kits_id_fk` (`kit_id`) REFERENCES `kits`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `computers_serial` ON `computers` (`serial`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `computers_site` ON `computers` (`site_id`,`retired_at`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `computers_profile` ON `computers` (`retired_at`,`start_profile`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `computers_name` ON `computers` (`name`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `computers_model` ON `computers` (`model`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `events_entity` ON `events` (`entity`,`entity_id`,`id`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `events_at` ON `events` (`at`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `inspections_views` ON `inspections` (`views_key`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `loads_release` ON `loads` (`release_id`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `media_site` ON `media` (`site_id`,`retired_at`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `media_inspection` ON `media` (`inspection_id`);