CREATE TABLE IF NOT EXISTS `drills` (
	`id` int AUTO_INCREMENT NOT NULL,
	`medium_id` int NOT NULL,
	`computer_id` int NOT NULL,
	`held_on` varchar(10) NOT NULL,
	`result` varchar(10) NOT NULL,
	`firmware_version` varchar(200),
	`note` text,
	`version` int NOT NULL DEFAULT 1,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `drills_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `fact_profiles` (
	`profile_key` char(64) NOT NULL,
	`body` longtext NOT NULL,
	CONSTRAINT `fact_profiles_profile_key` PRIMARY KEY(`profile_key`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `rehearsals` (
	`id` int AUTO_INCREMENT NOT NULL,
	`name` varchar(120) NOT NULL,
	`body` json NOT NULL,
	`person_name` varchar(120) NOT NULL,
	`version` int NOT NULL DEFAULT 1,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `rehearsals_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `system_images` (
	`id` int AUTO_INCREMENT NOT NULL,
	`name` varchar(200) NOT NULL,
	`computer_id` int NOT NULL,
	`taken_at` datetime(3) NOT NULL,
	`body` json NOT NULL,
	`version` int NOT NULL DEFAULT 1,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `system_images_id` PRIMARY KEY(`id`),
	CONSTRAINT `system_images_name` UNIQUE(`name`)
);
--> statement-breakpoint
ALTER TABLE `computers` ADD COLUMN IF NOT EXISTS `chain_profile` char(64);--> statement-breakpoint
ALTER TABLE `media` ADD COLUMN IF NOT EXISTS `wear` varchar(12);--> statement-breakpoint
ALTER TABLE `media` ADD COLUMN IF NOT EXISTS `written_on` varchar(10);--> statement-breakpoint
ALTER TABLE `media` ADD COLUMN IF NOT EXISTS `verified_on` varchar(10);--> statement-breakpoint
ALTER TABLE `media` ADD COLUMN IF NOT EXISTS `verified_whole` boolean;--> statement-breakpoint
ALTER TABLE `drills` ADD CONSTRAINT `drills_medium_id_media_id_fk` FOREIGN KEY IF NOT EXISTS `drills_medium_id_media_id_fk` (`medium_id`) REFERENCES `media`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `drills` ADD CONSTRAINT `drills_computer_id_computers_id_fk` FOREIGN KEY IF NOT EXISTS `drills_computer_id_computers_id_fk` (`computer_id`) REFERENCES `computers`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `system_images` ADD CONSTRAINT `system_images_computer_id_computers_id_fk` FOREIGN KEY IF NOT EXISTS `system_images_computer_id_computers_id_fk` (`computer_id`) REFERENCES `computers`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `drills_medium` ON `drills` (`medium_id`,`held_on`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `drills_computer` ON `drills` (`computer_id`,`held_on`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `system_images_computer` ON `system_images` (`computer_id`);