CREATE TABLE IF NOT EXISTS `tokens` (
	`id` int AUTO_INCREMENT NOT NULL,
	`name` varchar(120) NOT NULL,
	`hash` varchar(64) NOT NULL,
	`kind` varchar(20) NOT NULL,
	`site_id` int,
	`of_person_id` int,
	`expires_at` datetime(3),
	`last_used_at` datetime(3),
	`last_origin` varchar(64),
	`ended_at` datetime(3),
	`created_by_id` int NOT NULL,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `tokens_id` PRIMARY KEY(`id`),
	CONSTRAINT `tokens_hash` UNIQUE(`hash`)
);
--> statement-breakpoint
ALTER TABLE `tokens` ADD CONSTRAINT `tokens_site_id_sites_id_fk` FOREIGN KEY IF NOT EXISTS `tokens_site_id_sites_id_fk` (`site_id`) REFERENCES `sites`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `tokens` ADD CONSTRAINT `tokens_of_person_id_people_id_fk` FOREIGN KEY IF NOT EXISTS `tokens_of_person_id_people_id_fk` (`of_person_id`) REFERENCES `people`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `tokens` ADD CONSTRAINT `tokens_created_by_id_people_id_fk` FOREIGN KEY IF NOT EXISTS `tokens_created_by_id_people_id_fk` (`created_by_id`) REFERENCES `people`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `tokens_created` ON `tokens` (`created_at`);