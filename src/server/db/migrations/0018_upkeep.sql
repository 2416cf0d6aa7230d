CREATE TABLE IF NOT EXISTS `cover_days` (
	`id` int AUTO_INCREMENT NOT NULL,
	`on_day` varchar(10) NOT NULL,
	`site` varchar(120) NOT NULL,
	`total` int NOT NULL,
	`met` int NOT NULL,
	CONSTRAINT `cover_days_id` PRIMARY KEY(`id`),
	CONSTRAINT `cover_days_place` UNIQUE(`on_day`,`site`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `snoozes` (
	`id` int AUTO_INCREMENT NOT NULL,
	`due_key` varchar(400) NOT NULL,
	`until_day` varchar(10) NOT NULL,
	`why` varchar(300) NOT NULL,
	`person_name` varchar(120) NOT NULL,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`ended_at` datetime(3),
	CONSTRAINT `snoozes_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `snoozes_open` ON `snoozes` (`ended_at`,`until_day`);