ALTER TABLE `drills` ADD COLUMN IF NOT EXISTS `is_emulated` boolean DEFAULT false NOT NULL;--> statement-breakpoint
ALTER TABLE `drills` ADD COLUMN IF NOT EXISTS `evidence_text` longtext;--> statement-breakpoint
ALTER TABLE `drills` ADD COLUMN IF NOT EXISTS `evidence_picture` longblob;