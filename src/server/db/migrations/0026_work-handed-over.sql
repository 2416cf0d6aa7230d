-- Work that an earlier version had under way when it was stopped; from now on it is a job, and is taken up.
UPDATE `store_scans` SET `state` = 'interrupted', `problem` = 'Creel was stopped while this was going on. Begin again.' WHERE `state` = 'running';
--> statement-breakpoint
UPDATE `cover_plans` SET `state` = 'interrupted', `told` = '{"code":"interrupted"}' WHERE `state` = 'running';
--> statement-breakpoint
UPDATE `imports` SET `state` = 'interrupted', `problem` = 'Creel was stopped while this was being worked on. Nothing was imported; check it and import it again.' WHERE `state` IN ('checking', 'running', 'cancelling');
