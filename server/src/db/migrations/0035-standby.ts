/** Mail while a mail store is away: whether each is, what was read and answered meanwhile, and what colleagues wrote. */
export const statements: readonly string[] = [
  `CREATE TABLE IF NOT EXISTS store_states (
    name VARCHAR(60) NOT NULL PRIMARY KEY,
    checked_at DATETIME(3) NOT NULL,
    away_since DATETIME(3) NULL,
    detail VARCHAR(500) NOT NULL DEFAULT '',
    declared_at DATETIME(3) NULL,
    declared_by VARCHAR(200) NOT NULL DEFAULT ''
  )`,
  `CREATE TABLE IF NOT EXISTS standby_marks (
    mailbox_id INT UNSIGNED NOT NULL,
    kind ENUM('delivery','relay') NOT NULL,
    subject_id BIGINT UNSIGNED NOT NULL,
    seen_at DATETIME(3) NOT NULL,
    answered_at DATETIME(3) NULL,
    done_at DATETIME(3) NULL,
    next_at DATETIME(3) NOT NULL,
    claimed_until DATETIME(3) NULL,
    PRIMARY KEY (mailbox_id, kind, subject_id),
    KEY due (done_at, next_at),
    FOREIGN KEY (mailbox_id) REFERENCES mailboxes (id)
  )`,
  `CREATE TABLE IF NOT EXISTS standby_letters (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    mailbox_id INT UNSIGNED NOT NULL,
    state ENUM('draft','sent','gone') NOT NULL DEFAULT 'draft',
    token CHAR(36) CHARACTER SET ascii NOT NULL,
    version INT UNSIGNED NOT NULL DEFAULT 1,
    answers VARCHAR(20) NOT NULL DEFAULT '',
    forwards VARCHAR(20) NOT NULL DEFAULT '',
    recipients JSON NOT NULL,
    subject VARCHAR(1000) NOT NULL DEFAULT '',
    html MEDIUMTEXT NOT NULL,
    saved_at DATETIME(3) NOT NULL,
    sent_at DATETIME(3) NULL,
    message_id BIGINT UNSIGNED NULL,
    filed_at DATETIME(3) NULL,
    next_at DATETIME(3) NOT NULL,
    claimed_until DATETIME(3) NULL,
    problem VARCHAR(500) NOT NULL DEFAULT '',
    UNIQUE KEY token (token),
    KEY mailbox (mailbox_id, state),
    KEY due (state, filed_at, next_at),
    FOREIGN KEY (mailbox_id) REFERENCES mailboxes (id),
    FOREIGN KEY (message_id) REFERENCES messages (id) ON DELETE SET NULL
  )`,
  `CREATE TABLE IF NOT EXISTS standby_files (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    letter_id INT UNSIGNED NOT NULL,
    name VARCHAR(255) NOT NULL,
    type VARCHAR(100) NOT NULL,
    content LONGBLOB NOT NULL,
    KEY letter (letter_id),
    FOREIGN KEY (letter_id) REFERENCES standby_letters (id) ON DELETE CASCADE
  )`,
]
