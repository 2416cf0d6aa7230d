CREATE TABLE IF NOT EXISTS `fleet_answers` (
	`id` char(64) NOT NULL,
	`question` varchar(60) NOT NULL,
	`revision` bigint NOT NULL,
	`day` date NOT NULL,
	`body` longblob NOT NULL,
	CONSTRAINT `fleet_answers_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `revision_changes` (
	`revision` bigint NOT NULL,
	`is_whole` boolean NOT NULL,
	`computers` json NOT NULL,
	`media` json NOT NULL,
	CONSTRAINT `revision_changes_revision` PRIMARY KEY(`revision`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `revisions` (
	`id` smallint NOT NULL,
	`revision` bigint NOT NULL,
	CONSTRAINT `revisions_id` PRIMARY KEY(`id`)
);
