CREATE TABLE IF NOT EXISTS `arrival_marks` (
	`arrival_id` int NOT NULL,
	`kind` varchar(10) NOT NULL,
	`value` varchar(190) NOT NULL,
	CONSTRAINT `arrival_marks_arrival_id_kind_value_pk` PRIMARY KEY(`arrival_id`,`kind`,`value`)
);
--> statement-breakpoint
ALTER TABLE `arrival_marks` ADD CONSTRAINT `arrival_marks_arrival_id_arrivals_id_fk` FOREIGN KEY IF NOT EXISTS `arrival_marks_arrival_id_arrivals_id_fk` (`arrival_id`) REFERENCES `arrivals`(`id`) ON DELETE cascade ON UPDATE no action;--> statement-breakpoint
CREATE INDEX IF NOT EXISTS `arrival_marks_value` ON `arrival_marks` (`kind`,`value`);