CREATE TABLE IF NOT EXISTS `loans` (
	`id` int AUTO_INCREMENT NOT NULL,
	`medium_id` int NOT NULL,
	`lent_to` varchar(120) NOT NULL,
	`since` varchar(10) NOT NULL,
	`due_on` varchar(10),
	`returned_on` varchar(10),
	`person_name` varchar(120) NOT NULL,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `loans_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `stocktakes` (
	`id` int AUTO_INCREMENT NOT NULL,
	`site_id` int NOT NULL,
	`held_on` varchar(10) NOT NULL,
	`found` json NOT NULL,
	`missing` json NOT NULL,
	`moved` json NOT NULL,
	`person_name` varchar(120) NOT NULL,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `stocktakes_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
ALTER TABLE `loans` ADD CONSTRAINT `loans_medium_id_media_id_fk` FOREIGN KEY IF NOT EXISTS `loans_medium_id_media_id_fk` (`medium_id`) REFERENCES `media`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `stocktakes` ADD CONSTRAINT `stocktakes_site_id_sites_id_fk` FOREIGN KEY IF NOT EXISTS `stocktakes_site_id_sites_id_fk` (`site_id`) REFERENCES `sites`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `loans_medium` ON `loans` (`medium_id`,`id`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `loans_open` ON `loans` (`returned_on`,`due_on`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `stocktakes_site` ON `stocktakes` (`site_id`,`id`);