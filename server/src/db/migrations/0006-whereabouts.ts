/** Finding one message wherever it is; what was refused at the door; enquiries. */
export const statements: readonly string[] = [
  // A side table, since a table that has had a full-text index is copied by every later change of its columns.
  `CREATE TABLE message_words (
    message_id BIGINT UNSIGNED NOT NULL PRIMARY KEY,
    words VARCHAR(900) NOT NULL,
    FULLTEXT KEY k_words (words)
  )`,
  "INSERT INTO message_words SELECT id, CONCAT_WS(' ', subject, from_name) FROM messages",
  // Everybody who ever wrote, by name and address, and the groups of three letters they are found by.
  `CREATE TABLE known_senders (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    address VARCHAR(320) COLLATE utf8mb4_bin NOT NULL,
    name VARCHAR(255) COLLATE utf8mb4_bin NOT NULL,
    words VARCHAR(700) NOT NULL,
    indexed BOOLEAN NOT NULL DEFAULT TRUE,
    UNIQUE KEY k_party (address, name),
    KEY k_indexed (indexed, id),
    FULLTEXT KEY k_words (words)
  )`,
  `CREATE TABLE sender_trigrams (
    trigram CHAR(3) COLLATE utf8mb4_nopad_bin NOT NULL,
    sender_id INT UNSIGNED NOT NULL,
    PRIMARY KEY (trigram, sender_id)
  )`,
  // Whoever wrote before this schema; their groups of letters are made at the next start.
  "INSERT IGNORE INTO known_senders (address, name, words, indexed) SELECT DISTINCT from_address, from_name, LOWER(CONCAT(from_name, ' ', REPLACE(REPLACE(from_address, '@', ' '), '.', ' '))), FALSE FROM messages WHERE from_address <> ''",
  'ALTER TABLE messages ADD KEY k_from (from_address, id), ADD KEY k_received (direction, received_at)',
  // Transactions the door turned away, with the reply that was given.
  `CREATE TABLE refusals (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    at DATETIME(3) NOT NULL,
    ip VARCHAR(45) CHARACTER SET ascii NOT NULL,
    helo VARCHAR(255) NOT NULL,
    envelope_from VARCHAR(320) NOT NULL,
    recipient VARCHAR(320) NOT NULL,
    code SMALLINT UNSIGNED NOT NULL,
    reason VARCHAR(300) NOT NULL,
    KEY k_at (at),
    KEY k_from (envelope_from, at),
    KEY k_recipient (recipient, at)
  )`,
  `CREATE TABLE enquiries (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    opened_at DATETIME(3) NOT NULL,
    changed_at DATETIME(3) NOT NULL,
    mailbox_id INT UNSIGNED NOT NULL,
    how ENUM('phone','mail','page','in person') NOT NULL,
    words VARCHAR(1000) NOT NULL,
    question JSON NOT NULL,
    state ENUM('new','being looked for','waiting for sender','found','never sent to us') NOT NULL,
    staffer_id INT UNSIGNED NULL,
    answer VARCHAR(4000) NOT NULL DEFAULT '',
    KEY k_state (state, changed_at),
    KEY k_mailbox (mailbox_id, id)
  )`,
  // Messages an enquiry is about: looked at by a staffer, or come in while it was open.
  `CREATE TABLE enquiry_deliveries (
    enquiry_id INT UNSIGNED NOT NULL,
    delivery_id BIGINT UNSIGNED NOT NULL,
    how ENUM('chosen','came in') NOT NULL,
    at DATETIME(3) NOT NULL,
    PRIMARY KEY (enquiry_id, delivery_id),
    KEY k_delivery (delivery_id)
  )`,
  `CREATE TABLE enquiry_readers (
    enquiry_id INT UNSIGNED NOT NULL,
    staffer_id INT UNSIGNED NOT NULL,
    at DATETIME(3) NOT NULL,
    PRIMARY KEY (enquiry_id, staffer_id)
  )`,
  // Up to which delivery open enquiries have been compared; its row is the claim.
  'CREATE TABLE enquiry_watch (id TINYINT UNSIGNED NOT NULL PRIMARY KEY, delivery_id BIGINT UNSIGNED NOT NULL)',
  'INSERT INTO enquiry_watch SELECT 1, COALESCE(MAX(id), 0) FROM deliveries',
  "ALTER TABLE live_events MODIFY COLUMN kind ENUM('came-in','changed','ruled','digest','senders','enquiry') NOT NULL",
]
