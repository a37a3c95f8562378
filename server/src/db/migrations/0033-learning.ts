/** Learning from older mail in the background: from where, how far, and what stands in its way. */
export const statements: readonly string[] = [
  `ALTER TABLE history_runs
    MODIFY COLUMN state ENUM('learning','stopped','failed','done','undoing','undone') NOT NULL,
    ADD COLUMN IF NOT EXISTS source JSON NULL,
    ADD COLUMN IF NOT EXISTS mailbox_id INT UNSIGNED NULL,
    ADD COLUMN IF NOT EXISTS verdict ENUM('wanted','junk','sent') NULL,
    ADD COLUMN IF NOT EXISTS place VARCHAR(500) NOT NULL DEFAULT '',
    ADD COLUMN IF NOT EXISTS done BIGINT UNSIGNED NOT NULL DEFAULT 0,
    ADD COLUMN IF NOT EXISTS total BIGINT UNSIGNED NOT NULL DEFAULT 0,
    ADD COLUMN IF NOT EXISTS problem VARCHAR(500) NOT NULL DEFAULT '',
    ADD COLUMN IF NOT EXISTS owner CHAR(36) CHARACTER SET ascii NOT NULL DEFAULT '',
    ADD COLUMN IF NOT EXISTS claimed_until DATETIME(3) NULL`,
]
