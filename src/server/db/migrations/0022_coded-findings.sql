-- What was kept as a sentence is kept as code and facts; what is there already is wrapped, and read on as it was told.
ALTER TABLE `inspections` MODIFY COLUMN `fault` longtext;--> statement-breakpoint
UPDATE `inspections` SET `fault` = JSON_OBJECT('code', 'told-in-words', 'was', '', 'severity', 'fault', 'text', `fault`) WHERE `fault` IS NOT NULL AND NOT JSON_VALID(`fault`);--> statement-breakpoint
ALTER TABLE `inspections` MODIFY COLUMN `fault` json;--> statement-breakpoint
ALTER TABLE `cover_plans` MODIFY COLUMN `told` longtext;--> statement-breakpoint
UPDATE `cover_plans` SET `told` = JSON_OBJECT('code', 'told-in-words', 'text', `told`) WHERE `told` IS NOT NULL AND NOT JSON_VALID(`told`);--> statement-breakpoint
ALTER TABLE `cover_plans` MODIFY COLUMN `told` json;
