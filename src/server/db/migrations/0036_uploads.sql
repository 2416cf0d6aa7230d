CREATE TABLE IF NOT EXISTS `uploads` (
	`id` int AUTO_INCREMENT NOT NULL,
	`upload_key` varchar(64) NOT NULL,
	`release_id` int NOT NULL,
	`name` varchar(255) NOT NULL,
	`bytes` bigint NOT NULL,
	`sha256` varchar(64) NOT NULL,
	`state` varchar(12) NOT NULL,
	`trouble` varchar(20),
	`person_id` int NOT NULL,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `uploads_id` PRIMARY KEY(`id`),
	CONSTRAINT `uploads_key` UNIQUE(`upload_key`)
);
--> statement-breakpoint
ALTER TABLE `uploads` ADD CONSTRAINT `uploads_release_id_releases_id_fk` FOREIGN KEY IF NOT EXISTS `uploads_release_id_releases_id_fk` (`release_id`) REFERENCES `releases`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `uploads` ADD CONSTRAINT `uploads_person_id_people_id_fk` FOREIGN KEY IF NOT EXISTS `uploads_person_id_people_id_fk` (`person_id`) REFERENCES `people`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `uploads_state` ON `uploads` (`state`,`id`);