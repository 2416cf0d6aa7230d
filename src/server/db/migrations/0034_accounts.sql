CREATE TABLE IF NOT EXISTS `accounts` (
	`id` varchar(36) NOT NULL,
	`name` varchar(120) NOT NULL,
	`email` varchar(254) NOT NULL,
	`email_verified` boolean NOT NULL DEFAULT false,
	`image` text,
	`two_factor_enabled` boolean NOT NULL DEFAULT false,
	`person_id` int NOT NULL,
	`role` varchar(20) NOT NULL,
	`closed_at` datetime(3),
	`failures` int NOT NULL DEFAULT 0,
	`waits_until` datetime(3),
	`version` int NOT NULL DEFAULT 1,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `accounts_id` PRIMARY KEY(`id`),
	CONSTRAINT `accounts_email` UNIQUE(`email`),
	CONSTRAINT `accounts_person` UNIQUE(`person_id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `attempts` (
	`id` varchar(36) NOT NULL,
	`key` varchar(255) NOT NULL,
	`count` int NOT NULL,
	`last_request` bigint NOT NULL,
	CONSTRAINT `attempts_id` PRIMARY KEY(`id`),
	CONSTRAINT `attempts_key` UNIQUE(`key`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `credentials` (
	`id` varchar(36) NOT NULL,
	`account_id` varchar(36) NOT NULL,
	`subject` varchar(255) NOT NULL,
	`provider` varchar(100) NOT NULL,
	`access_token` text,
	`refresh_token` text,
	`id_token` text,
	`access_token_expires_at` datetime(3),
	`refresh_token_expires_at` datetime(3),
	`scope` text,
	`password` varchar(255),
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `credentials_id` PRIMARY KEY(`id`),
	CONSTRAINT `credentials_subject` UNIQUE(`provider`,`subject`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `organisations` (
	`id` int AUTO_INCREMENT NOT NULL,
	`name` varchar(120) NOT NULL,
	`time_zone` varchar(64) NOT NULL,
	`currency` varchar(3) NOT NULL,
	`version` int NOT NULL DEFAULT 1,
	CONSTRAINT `organisations_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `passkeys` (
	`id` varchar(36) NOT NULL,
	`account_id` varchar(36) NOT NULL,
	`name` varchar(120),
	`public_key` text NOT NULL,
	`credential` varchar(400) NOT NULL,
	`counter` bigint NOT NULL,
	`device_type` varchar(32) NOT NULL,
	`backed_up` boolean NOT NULL,
	`transports` varchar(200),
	`aaguid` varchar(64),
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `passkeys_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `second_factors` (
	`id` varchar(36) NOT NULL,
	`account_id` varchar(36) NOT NULL,
	`secret` text NOT NULL,
	`backup_codes` text NOT NULL,
	`verified` boolean DEFAULT true,
	`failures` int DEFAULT 0,
	`locked_until` datetime(3),
	CONSTRAINT `second_factors_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `sessions` (
	`id` varchar(36) NOT NULL,
	`account_id` varchar(36) NOT NULL,
	`token` varchar(100) NOT NULL,
	`expires_at` datetime(3) NOT NULL,
	`ip_address` varchar(64),
	`user_agent` varchar(400),
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `sessions_id` PRIMARY KEY(`id`),
	CONSTRAINT `sessions_token` UNIQUE(`token`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `set_up_links` (
	`id` int AUTO_INCREMENT NOT NULL,
	`hash` varchar(64) NOT NULL,
	`expires_at` datetime(3) NOT NULL,
	CONSTRAINT `set_up_links_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `verifications` (
	`id` varchar(36) NOT NULL,
	`identifier` varchar(255) NOT NULL,
	`value` text NOT NULL,
	`expires_at` datetime(3) NOT NULL,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `verifications_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `audits` (
	`id` int AUTO_INCREMENT NOT NULL,
	`at` datetime(3) NOT NULL,
	`person_id` int,
	`person_name` varchar(120),
	`origin` varchar(64),
	`act` varchar(60) NOT NULL,
	`outcome` varchar(60) NOT NULL,
	`detail` json,
	CONSTRAINT `audits_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
ALTER TABLE `accounts` ADD CONSTRAINT `accounts_person_id_people_id_fk` FOREIGN KEY IF NOT EXISTS `accounts_person_id_people_id_fk` (`person_id`) REFERENCES `people`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `credentials` ADD CONSTRAINT `credentials_account_id_accounts_id_fk` FOREIGN KEY IF NOT EXISTS `credentials_account_id_accounts_id_fk` (`account_id`) REFERENCES `accounts`(`id`) ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `passkeys` ADD CONSTRAINT `passkeys_account_id_accounts_id_fk` FOREIGN KEY IF NOT EXISTS `passkeys_account_id_accounts_id_fk` (`account_id`) REFERENCES `accounts`(`id`) ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `second_factors` ADD CONSTRAINT `second_factors_account_id_accounts_id_fk` FOREIGN KEY IF NOT EXISTS `second_factors_account_id_accounts_id_fk` (`account_id`) REFERENCES `accounts`(`id`) ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `sessions` ADD CONSTRAINT `sessions_account_id_accounts_id_fk` FOREIGN KEY IF NOT EXISTS `sessions_account_id_accounts_id_fk` (`account_id`) REFERENCES `accounts`(`id`) ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `credentials_account` ON `credentials` (`account_id`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `passkeys_account` ON `passkeys` (`account_id`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `passkeys_credential` ON `passkeys` (`credential`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `second_factors_account` ON `second_factors` (`account_id`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `sessions_account` ON `sessions` (`account_id`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `verifications_identifier` ON `verifications` (`identifier`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `audits_at` ON `audits` (`at`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `audits_person` ON `audits` (`person_id`,`id`);