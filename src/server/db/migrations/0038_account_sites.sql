CREATE TABLE IF NOT EXISTS `account_sites` (
	`account_id` varchar(36) NOT NULL,
	`site_id` int NOT NULL,
	CONSTRAINT `account_sites_account_id_site_id_pk` PRIMARY KEY(`account_id`,`site_id`)
);
--> statement-breakpoint
ALTER TABLE `account_sites` ADD CONSTRAINT `account_sites_account_id_accounts_id_fk` FOREIGN KEY IF NOT EXISTS `account_sites_account_id_accounts_id_fk` (`account_id`) REFERENCES `accounts`(`id`) ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `account_sites` ADD CONSTRAINT `account_sites_site_id_sites_id_fk` FOREIGN KEY IF NOT EXISTS `account_sites_site_id_sites_id_fk` (`site_id`) REFERENCES `sites`(`id`) ON DELETE cascade ON UPDATE no action;