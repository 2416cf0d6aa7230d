CREATE TABLE IF NOT EXISTS `planned_drills` (
	`id` int AUTO_INCREMENT NOT NULL,
	`medium_id` int NOT NULL,
	`computer_id` int NOT NULL,
	`due_on` varchar(10) NOT NULL,
	`person_name` varchar(120) NOT NULL,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`ended_at` datetime(3),
	`drill_id` int,
	CONSTRAINT `planned_drills_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
ALTER TABLE `planned_drills` ADD CONSTRAINT `planned_drills_medium_id_media_id_fk` FOREIGN KEY IF NOT EXISTS `planned_drills_medium_id_media_id_fk` (`medium_id`) REFERENCES `media`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `planned_drills` ADD CONSTRAINT `planned_drills_computer_id_computers_id_fk` FOREIGN KEY IF NOT EXISTS `planned_drills_computer_id_computers_id_fk` (`computer_id`) REFERENCES `computers`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `planned_drills` ADD CONSTRAINT `planned_drills_drill_id_drills_id_fk` FOREIGN KEY IF NOT EXISTS `planned_drills_drill_id_drills_id_fk` (`drill_id`) REFERENCES `drills`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `planned_drills_pair` ON `planned_drills` (`medium_id`,`computer_id`,`ended_at`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `planned_drills_open` ON `planned_drills` (`ended_at`,`due_on`);