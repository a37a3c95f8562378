/** Digests that go by themselves, lines with references, replies. */
export const statements: readonly string[] = [
  // A delivery is in one digest at most: the one named here, listed or counted. What came in late, or was
  // looked at for a while, is in the next one however old it is.
  `ALTER TABLE deliveries ADD COLUMN digest_id INT UNSIGNED NULL, ADD KEY k_digest (mailbox_id, digest_id, state, received_at)`,
  `UPDATE deliveries d JOIN digests g ON g.mailbox_id = d.mailbox_id AND d.received_at > g.since AND d.received_at <= g.cut
    SET d.digest_id = g.id WHERE d.state IN ('quarantined', 'junk')`,
  // Times are local ('HH:MM'), weekdays 1 to 7; NULL: as the organisation has it. No times: no digests.
  `ALTER TABLE mailboxes ADD COLUMN digest_times JSON NULL, ADD COLUMN digest_weekdays JSON NULL`,
  `CREATE TABLE digest_due (
    mailbox_id INT UNSIGNED NOT NULL PRIMARY KEY,
    next_at DATETIME(3) NULL,
    KEY k_next (next_at)
  )`,
  `CREATE TABLE digest_lines (
    delivery_id BIGINT UNSIGNED NOT NULL PRIMARY KEY,
    digest_id INT UNSIGNED NOT NULL,
    mailbox_id INT UNSIGNED NOT NULL,
    place INT UNSIGNED NOT NULL,
    reference CHAR(7) CHARACTER SET ascii NULL,
    UNIQUE KEY k_reference (mailbox_id, reference),
    KEY k_digest (digest_id, place)
  )`,
  // What a staffer has to say about a line before it goes.
  `CREATE TABLE digest_notes (
    delivery_id BIGINT UNSIGNED NOT NULL PRIMARY KEY,
    leave_out BOOLEAN NOT NULL,
    note VARCHAR(500) NOT NULL,
    by_name VARCHAR(200) NOT NULL,
    at DATETIME(3) NOT NULL
  )`,
  `CREATE TABLE digest_replies (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    received_at DATETIME(3) NOT NULL,
    mailbox_id INT UNSIGNED NOT NULL,
    subject VARCHAR(500) NOT NULL,
    source LONGBLOB NOT NULL,
    source_hash CHAR(64) CHARACTER SET ascii NOT NULL UNIQUE,
    outcome ENUM('asked','nothing-left','automatic') NOT NULL,
    needs_look BOOLEAN NOT NULL,
    facts JSON NOT NULL,
    answer LONGBLOB NULL,
    KEY k_look (needs_look, id),
    KEY k_mailbox (mailbox_id, id)
  )`,
  "ALTER TABLE outbox MODIFY COLUMN kind ENUM('delivery','digest','answer') NOT NULL",
]
