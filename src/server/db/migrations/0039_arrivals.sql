CREATE TABLE IF NOT EXISTS `arrivals` (
	`id` int AUTO_INCREMENT NOT NULL,
	`arrival_key` char(64) NOT NULL,
	`state` varchar(10) NOT NULL,
	`token_id` int,
	`site_id` int,
	`identity` json NOT NULL,
	`tag` varchar(60),
	`make` varchar(200),
	`model` varchar(200),
	`serial` varchar(200),
	`system_name` varchar(200),
	`body` longblob NOT NULL,
	`reports` int NOT NULL DEFAULT 1,
	`first_at` datetime(3) NOT NULL,
	`last_at` datetime(3) NOT NULL,
	`origin` varchar(64),
	`computer_id` int,
	`decided_by_id` int,
	`decided_at` datetime(3),
	CONSTRAINT `arrivals_id` PRIMARY KEY(`id`),
	CONSTRAINT `arrivals_key` UNIQUE(`arrival_key`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `computer_identities` (
	`computer_id` int NOT NULL,
	`kind` varchar(10) NOT NULL,
	`value` varchar(60) NOT NULL,
	CONSTRAINT `computer_identities_computer_id_kind_value_pk` PRIMARY KEY(`computer_id`,`kind`,`value`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `reported_changes` (
	`id` int AUTO_INCREMENT NOT NULL,
	`computer_id` int NOT NULL,
	`at` datetime(3) NOT NULL,
	`told` json NOT NULL,
	`seen_by_id` int,
	`seen_at` datetime(3),
	CONSTRAINT `reported_changes_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
ALTER TABLE `tokens` ADD COLUMN IF NOT EXISTS `computer_id` int;--> statement-breakpoint
ALTER TABLE `arrivals` ADD CONSTRAINT `arrivals_token_id_tokens_id_fk` FOREIGN KEY IF NOT EXISTS `arrivals_token_id_tokens_id_fk` (`token_id`) REFERENCES `tokens`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `arrivals` ADD CONSTRAINT `arrivals_site_id_sites_id_fk` FOREIGN KEY IF NOT EXISTS `arrivals_site_id_sites_id_fk` (`site_id`) REFERENCES `sites`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `arrivals` ADD CONSTRAINT `arrivals_computer_id_computers_id_fk` FOREIGN KEY IF NOT EXISTS `arrivals_computer_id_computers_id_fk` (`computer_id`) REFERENCES `computers`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `arrivals` ADD CONSTRAINT `arrivals_decided_by_id_people_id_fk` FOREIGN KEY IF NOT EXISTS `arrivals_decided_by_id_people_id_fk` (`decided_by_id`) REFERENCES `people`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `computer_identities` ADD CONSTRAINT `computer_identities_computer_id_computers_id_fk` FOREIGN KEY IF NOT EXISTS `computer_identities_computer_id_computers_id_fk` (`computer_id`) REFERENCES `computers`(`id`) ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `reported_changes` ADD CONSTRAINT `reported_changes_computer_id_computers_id_fk` FOREIGN KEY IF NOT EXISTS `reported_changes_computer_id_computers_id_fk` (`computer_id`) REFERENCES `computers`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `reported_changes` ADD CONSTRAINT `reported_changes_seen_by_id_people_id_fk` FOREIGN KEY IF NOT EXISTS `reported_changes_seen_by_id_people_id_fk` (`seen_by_id`) REFERENCES `people`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `arrivals_state` ON `arrivals` (`state`,`last_at`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `computer_identities_value` ON `computer_identities` (`kind`,`value`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `reported_changes_open` ON `reported_changes` (`seen_at`,`at`);--> statement-breakpoint
ALTER TABLE `tokens` ADD CONSTRAINT `tokens_computer_id_computers_id_fk` FOREIGN KEY IF NOT EXISTS `tokens_computer_id_computers_id_fk` (`computer_id`) REFERENCES `computers`(`id`) ON DELETE no action ON UPDATE no action;