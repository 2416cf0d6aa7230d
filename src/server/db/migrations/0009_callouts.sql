CREATE TABLE IF NOT EXISTS `callout_marks` (
	`id` char(36) NOT NULL,
	`callout_id` int NOT NULL,
	`step` varchar(40) NOT NULL,
	`kind` varchar(8) NOT NULL,
	`made_at` datetime(3) NOT NULL,
	`text` text,
	`photo` longblob,
	`photo_type` varchar(40),
	`person_name` varchar(120) NOT NULL,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `callout_marks_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `callouts` (
	`id` int AUTO_INCREMENT NOT NULL,
	`computer_id` int NOT NULL,
	`happening` varchar(20) NOT NULL,
	`since` varchar(10),
	`new_disk` json,
	`chosen` json,
	`outcome` json,
	`opened_by` varchar(120) NOT NULL,
	`opened_at` datetime(3) NOT NULL,
	`closed_at` datetime(3),
	`version` int NOT NULL DEFAULT 1,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `callouts_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
ALTER TABLE `callout_marks` ADD CONSTRAINT `callout_marks_callout_id_callouts_id_fk` FOREIGN KEY IF NOT EXISTS `callout_marks_callout_id_callouts_id_fk` (`callout_id`) REFERENCES `callouts`(`id`) ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `callouts` ADD CONSTRAINT `callouts_computer_id_computers_id_fk` FOREIGN KEY IF NOT EXISTS `callouts_computer_id_computers_id_fk` (`computer_id`) REFERENCES `computers`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `callout_marks_callout` ON `callout_marks` (`callout_id`,`made_at`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `callouts_computer` ON `callouts` (`computer_id`,`opened_at`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `callouts_open` ON `callouts` (`closed_at`,`opened_at`);