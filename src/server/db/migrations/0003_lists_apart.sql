CREATE TABLE IF NOT EXISTS `secure_boot_lists` (
	`sha256` char(64) NOT NULL,
	`body` longtext NOT NULL,
	CONSTRAINT `secure_boot_lists_sha256` PRIMARY KEY(`sha256`)
);
