CREATE TABLE IF NOT EXISTS `digests` (
	`id` int AUTO_INCREMENT NOT NULL,
	`audience` varchar(160) NOT NULL,
	`due_keys` json NOT NULL,
	`file_name` varchar(200),
	`sent_at` datetime(3) NOT NULL,
	CONSTRAINT `digests_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `feed_entries` (
	`id` int AUTO_INCREMENT NOT NULL,
	`due_key` varchar(400) NOT NULL,
	`on_day` varchar(10) NOT NULL,
	`summary` varchar(300) NOT NULL,
	`description` text NOT NULL,
	`site` varchar(120),
	`person_name` varchar(120),
	`sequence` int NOT NULL DEFAULT 0,
	`cancelled_at` datetime(3),
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `feed_entries_id` PRIMARY KEY(`id`),
	CONSTRAINT `feed_entries_key` UNIQUE(`due_key`)
);
--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `digests_audience` ON `digests` (`audience`,`id`);