CREATE TABLE IF NOT EXISTS `answered_once` (
	`id` int AUTO_INCREMENT NOT NULL,
	`token_id` int NOT NULL,
	`key_hash` varchar(64) NOT NULL,
	`request_hash` varchar(64) NOT NULL,
	`status` int,
	`answer` text,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `answered_once_id` PRIMARY KEY(`id`),
	CONSTRAINT `answered_once_key` UNIQUE(`token_id`,`key_hash`)
);
--> statement-breakpoint
ALTER TABLE `answered_once` ADD CONSTRAINT `answered_once_token_id_tokens_id_fk` FOREIGN KEY IF NOT EXISTS `answered_once_token_id_tokens_id_fk` (`token_id`) REFERENCES `tokens`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `answered_once_at` ON `answered_once` (`created_at`);