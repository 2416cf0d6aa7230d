ALTER TABLE `stores` ADD COLUMN IF NOT EXISTS `account` varchar(120);--> statement-breakpoint
ALTER TABLE `stores` ADD COLUMN IF NOT EXISTS `encrypted` boolean;--> statement-breakpoint
ALTER TABLE `stores` ADD COLUMN IF NOT EXISTS `key_place` varchar(200);