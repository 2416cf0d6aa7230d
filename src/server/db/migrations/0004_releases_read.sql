CREATE TABLE IF NOT EXISTS `inspection_contents` (
	`inspection_id` int NOT NULL,
	`listing` longblob,
	`drivers` longblob,
	`manifest` longblob,
	`manifest_at` datetime(3),
	CONSTRAINT `inspection_contents_inspection_id` PRIMARY KEY(`inspection_id`)
);
--> statement-breakpoint
ALTER TABLE `kits` ADD COLUMN IF NOT EXISTS `family` varchar(60);--> statement-breakpoint
ALTER TABLE `releases` ADD COLUMN IF NOT EXISTS `facts` json;--> statement-breakpoint
ALTER TABLE `releases` ADD COLUMN IF NOT EXISTS `inspection_id` int;--> statement-breakpoint
ALTER TABLE `releases` ADD COLUMN IF NOT EXISTS `superseded_by_id` int;--> statement-breakpoint
ALTER TABLE `inspection_contents` ADD CONSTRAINT `inspection_contents_inspection_id_inspections_id_fk` FOREIGN KEY IF NOT EXISTS `inspection_contents_inspection_id_inspections_id_fk` (`inspection_id`) REFERENCES `inspections`(`id`) ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `releases_inspection` ON `releases` (`inspection_id`);