/** Messages to colleagues that their mail store is away, passed on by an address of the organisation's. */
export const statements: readonly string[] = [
  `CREATE TABLE IF NOT EXISTS outage_notices (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    store VARCHAR(60) NOT NULL,
    since DATETIME(3) NOT NULL,
    mailbox_id INT UNSIGNED NOT NULL,
    state ENUM('waiting','sent','failed') NOT NULL DEFAULT 'waiting',
    attempts INT UNSIGNED NOT NULL DEFAULT 0,
    next_at DATETIME(3) NOT NULL,
    claimed_until DATETIME(3) NULL,
    ended_at DATETIME(3) NULL,
    said VARCHAR(500) NOT NULL DEFAULT '',
    UNIQUE KEY once (store, since, mailbox_id),
    KEY due (state, next_at),
    FOREIGN KEY (mailbox_id) REFERENCES mailboxes (id)
  )`,
]
