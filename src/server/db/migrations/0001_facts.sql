CREATE TABLE IF NOT EXISTS `batches` (
	`id` int AUTO_INCREMENT NOT NULL,
	`at` datetime(3) NOT NULL,
	`person_id` int NOT NULL,
	`person_name` varchar(120) NOT NULL,
	`summary` varchar(300) NOT NULL,
	`computers` int NOT NULL,
	`undone_at` datetime(3),
	CONSTRAINT `batches_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `calendars` (
	`id` int AUTO_INCREMENT NOT NULL,
	`product` varchar(120) NOT NULL,
	`file_name` varchar(255),
	`releases` json NOT NULL,
	`version` int NOT NULL DEFAULT 1,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `calendars_id` PRIMARY KEY(`id`),
	CONSTRAINT `calendars_product` UNIQUE(`product`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `computer_facts` (
	`computer_id` int NOT NULL,
	`facts` json NOT NULL,
	`provenance` json NOT NULL,
	CONSTRAINT `computer_facts_computer_id` PRIMARY KEY(`computer_id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `computer_signers` (
	`computer_id` int NOT NULL,
	`signer_id` int NOT NULL,
	CONSTRAINT `computer_signers_place` PRIMARY KEY(`computer_id`,`signer_id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `import_parts` (
	`import_id` int NOT NULL,
	`position` int NOT NULL,
	`body` longblob NOT NULL,
	CONSTRAINT `import_parts_place` PRIMARY KEY(`import_id`,`position`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `imports` (
	`id` int AUTO_INCREMENT NOT NULL,
	`file_name` varchar(255) NOT NULL,
	`bytes` int NOT NULL,
	`person_id` int NOT NULL,
	`person_name` varchar(120) NOT NULL,
	`state` varchar(12) NOT NULL,
	`options` json,
	`done` int NOT NULL DEFAULT 0,
	`total` int NOT NULL DEFAULT 0,
	`report` json,
	`problem` longtext,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `imports_id` PRIMARY KEY(`id`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `key_cards` (
	`id` int AUTO_INCREMENT NOT NULL,
	`make` varchar(200) NOT NULL,
	`model` varchar(200) NOT NULL,
	`setup` varchar(40),
	`start_menu` varchar(40),
	`save` varchar(40),
	`quirks` text,
	`version` int NOT NULL DEFAULT 1,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	`updated_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `key_cards_id` PRIMARY KEY(`id`),
	CONSTRAINT `key_cards_model` UNIQUE(`make`,`model`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `saved_views` (
	`id` int AUTO_INCREMENT NOT NULL,
	`name` varchar(80) NOT NULL,
	`query` varchar(1000) NOT NULL,
	`person_id` int NOT NULL,
	`created_at` datetime(3) NOT NULL DEFAULT (UTC_TIMESTAMP(3)),
	CONSTRAINT `saved_views_id` PRIMARY KEY(`id`),
	CONSTRAINT `saved_views_name` UNIQUE(`name`)
);
--> statement-breakpoint
CREATE TABLE IF NOT EXISTS `signers` (
	`id` int AUTO_INCREMENT NOT NULL,
	`sha256` char(64) NOT NULL,
	`name` varchar(300) NOT NULL,
	`not_before` varchar(30) NOT NULL,
	`not_after` varchar(30) NOT NULL,
	CONSTRAINT `signers_id` PRIMARY KEY(`id`),
	CONSTRAINT `signers_sha256` UNIQUE(`sha256`)
);
--> statement-breakpoint
DROP INDEX IF EXISTS `computers_model` ON `computers`;--> statement-breakpoint
ALTER TABLE `computers` ADD COLUMN IF NOT EXISTS `firmware_version` varchar(200);--> statement-breakpoint
ALTER TABLE `computers` ADD COLUMN IF NOT EXISTS `legacy_mode` varchar(10);--> statement-breakpoint
ALTER TABLE `computers` ADD COLUMN IF NOT EXISTS `secure_boot` varchar(10);--> statement-breakpoint
ALTER TABLE `computers` ADD COLUMN IF NOT EXISTS `system_name` varchar(200);--> statement-breakpoint
ALTER TABLE `computers` ADD COLUMN IF NOT EXISTS `system_version` varchar(80);--> statement-breakpoint
ALTER TABLE `computers` ADD COLUMN IF NOT EXISTS `memory_bytes` bigint;--> statement-breakpoint
ALTER TABLE `computers` ADD COLUMN IF NOT EXISTS `disk_bytes` bigint;--> statement-breakpoint
ALTER TABLE `computers` ADD COLUMN IF NOT EXISTS `missing` int DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE `computers` ADD COLUMN IF NOT EXISTS `facts_at` datetime(3);--> statement-breakpoint
ALTER TABLE `computers` ADD COLUMN IF NOT EXISTS `search` varchar(1000) CHARACTER SET utf8mb4 COLLATE utf8mb4_bin DEFAULT '' NOT NULL;--> statement-breakpoint
ALTER TABLE `computers` ADD COLUMN IF NOT EXISTS `derived` int DEFAULT 0 NOT NULL;--> statement-breakpoint
ALTER TABLE `events` ADD COLUMN IF NOT EXISTS `note` varchar(300);--> statement-breakpoint
ALTER TABLE `events` ADD COLUMN IF NOT EXISTS `batch_id` int;--> statement-breakpoint
ALTER TABLE `computer_facts` ADD CONSTRAINT `computer_facts_computer_id_computers_id_fk` FOREIGN KEY IF NOT EXISTS `computer_facts_computer_id_computers_id_fk` (`computer_id`) REFERENCES `computers`(`id`) ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `computer_signers` ADD CONSTRAINT `computer_signers_computer_id_computers_id_fk` FOREIGN KEY IF NOT EXISTS `computer_signers_computer_id_computers_id_fk` (`computer_id`) REFERENCES `computers`(`id`) ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `computer_signers` ADD CONSTRAINT `computer_signers_signer_id_signers_id_fk` FOREIGN KEY IF NOT EXISTS `computer_signers_signer_id_signers_id_fk` (`signer_id`) REFERENCES `signers`(`id`) ON DELETE no action ON UPDATE no action;--> statement-breakpoint
ALTER TABLE `import_parts` ADD CONSTRAINT `import_parts_import_id_imports_id_fk` FOREIGN KEY IF NOT EXISTS `import_parts_import_id_imports_id_fk` (`import_id`) REFERENCES `imports`(`id`) ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `computer_signers_signer` ON `computer_signers` (`signer_id`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `disks_serial` ON `disks` (`serial`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `events_batch` ON `events` (`batch_id`);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `computers_model` ON `computers` (`make`,`model`);