CREATE TABLE IF NOT EXISTS `noted_changes` (
	`id` int AUTO_INCREMENT NOT NULL,
	`computer_id` int NOT NULL,
	`made_on` varchar(10) NOT NULL,
	`what` varchar(200) NOT NULL,
	`person_name` varchar(120) NOT NULL,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`withdrawn_at` datetime(3),
	CONSTRAINT `noted_changes_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
ALTER TABLE `noted_changes` ADD CONSTRAINT `noted_changes_computer_id_computers_id_fk` FOREIGN KEY IF NOT EXISTS `noted_changes_computer_id_computers_id_fk` (`computer_id`) REFERENCES `computers`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `noted_changes_computer` ON `noted_changes` (`computer_id`,`made_on`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `noted_changes_open` ON `noted_changes` (`withdrawn_at`,`made_on`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `system_images_taken` ON `system_images` (`deleted_at`,`taken_at`);