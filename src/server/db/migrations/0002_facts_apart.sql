-- Facts move to a table of their own, disks and all. Only where the old column is still there: a start that was
-- killed half-way goes on from here.
SET @move = IF((SELECT COUNT(*) FROM information_schema.columns WHERE table_schema = DATABASE() AND table_name = 'computers' AND column_name = 'facts') > 0, "INSERT IGNORE INTO computer_facts (computer_id, facts, provenance) SELECT c.id, IF(d.whole IS NULL, c.facts, JSON_SET(c.facts, '$.disks', JSON_EXTRACT(d.whole, '$'))), '{\"sources\":[],\"facts\":{}}' FROM computers c LEFT JOIN (SELECT computer_id, CONCAT('[', GROUP_CONCAT(facts ORDER BY position SEPARATOR ','), ']') AS whole FROM disks GROUP BY computer_id) d ON d.computer_id = c.id", 'DO 0');--> statement-breakpoint
EXECUTE IMMEDIATE @move;--> statement-breakpoint
ALTER TABLE `computers` DROP COLUMN IF EXISTS `facts`;--> statement-breakpoint
ALTER TABLE `disks` DROP COLUMN IF EXISTS `facts`;