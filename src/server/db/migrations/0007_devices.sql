ALTER TABLE `berths` ADD COLUMN IF NOT EXISTS `port` varchar(120);--> statement-breakpoint
ALTER TABLE `devices` ADD COLUMN IF NOT EXISTS `port` varchar(120);--> statement-breakpoint
ALTER TABLE `devices` ADD COLUMN IF NOT EXISTS `batch` varchar(60);--> statement-breakpoint
ALTER TABLE `media` ADD COLUMN IF NOT EXISTS `sampled_on` varchar(10);--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `devices_batch` ON `devices` (`batch`);