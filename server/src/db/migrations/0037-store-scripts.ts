/** Mail rules and automatic replies that are kept in mailboxes at their stores. */
export const statements: readonly string[] = [
  `CREATE TABLE IF NOT EXISTS store_scripts (
    mailbox_id INT UNSIGNED NOT NULL PRIMARY KEY,
    next_at DATETIME(3) NOT NULL,
    claimed_until DATETIME(3) NULL,
    asked INT UNSIGNED NOT NULL DEFAULT 0,
    store VARCHAR(60) NOT NULL DEFAULT '',
    state ENUM('waiting','kept','changed','not-run','out') NOT NULL DEFAULT 'waiting',
    kept LONGTEXT NULL CHECK (JSON_VALID(kept)),
    putting LONGTEXT NULL CHECK (JSON_VALID(putting)),
    found LONGTEXT NULL CHECK (JSON_VALID(found)),
    replaced LONGTEXT NULL CHECK (JSON_VALID(replaced)),
    answers_too TINYINT(1) NOT NULL DEFAULT 0,
    kept_at DATETIME(3) NULL,
    looked_at DATETIME(3) NULL,
    trouble VARCHAR(20) NOT NULL DEFAULT '',
    detail VARCHAR(500) NOT NULL DEFAULT '',
    KEY next_at (next_at),
    FOREIGN KEY (mailbox_id) REFERENCES mailboxes (id)
  )`,
]
