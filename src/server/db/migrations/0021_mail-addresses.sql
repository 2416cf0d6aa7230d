ALTER TABLE `people` ADD COLUMN IF NOT EXISTS `mail` varchar(254);--> statement-breakpoint
ALTER TABLE `people` ADD COLUMN IF NOT EXISTS `version` int DEFAULT 1 NOT NULL;--> statement-breakpoint
ALTER TABLE `sites` ADD COLUMN IF NOT EXISTS `mail` varchar(254);