/** What was read of a message is kept, so that no screen parses it again. */
export const statements: readonly string[] = [
  `CREATE TABLE IF NOT EXISTS message_readings (
    message_id BIGINT UNSIGNED NOT NULL PRIMARY KEY,
    gzip MEDIUMBLOB NOT NULL,
    pdf_words JSON NULL
  )`,
  // What the store is told about a delivery is signed, so that only the store's own words come back about it.
  "INSERT IGNORE INTO signing_keys (name, value) VALUES ('deliveries', RANDOM_BYTES(32))",
  "ALTER TABLE sessions ADD COLUMN IF NOT EXISTS used_at DATETIME(3) NOT NULL DEFAULT '2000-01-01'",
  // Deliveries that open enquiries have not been compared with yet: queued by the transaction that takes them in, since
  // ids are given out before they are committed and a watermark would pass some by.
  `CREATE TABLE IF NOT EXISTS enquiry_queue (delivery_id BIGINT UNSIGNED NOT NULL PRIMARY KEY)`,
  `INSERT IGNORE INTO enquiry_queue SELECT d.id FROM deliveries d JOIN enquiry_watch w ON w.id = 1 WHERE d.id > w.delivery_id`,
  'DROP TABLE IF EXISTS enquiry_watch',
  // How often colleagues wrote to a domain: summed up when it happens, so that no message adds up all of it again.
  `CREATE TABLE IF NOT EXISTS correspondence_domains (
    domain VARCHAR(255) CHARACTER SET ascii NOT NULL PRIMARY KEY,
    n INT UNSIGNED NOT NULL,
    KEY k_n (n)
  )`,
  'REPLACE INTO correspondence_domains SELECT domain, SUM(n) FROM correspondence GROUP BY domain',
  // Whom we took a message from, for the Received field of what goes on (RFC 5321 §4.4).
  `ALTER TABLE messages ADD COLUMN IF NOT EXISTS client_ip VARCHAR(45) CHARACTER SET ascii NOT NULL DEFAULT '',
     ADD COLUMN IF NOT EXISTS client_helo VARCHAR(255) NOT NULL DEFAULT ''`,
]
