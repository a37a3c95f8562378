/** What was read of a message is kept, so that no screen parses it again. */
export const statements: readonly string[] = [
  `CREATE TABLE IF NOT EXISTS message_readings (
    message_id BIGINT UNSIGNED NOT NULL PRIMARY KEY,
    gzip MEDIUMBLOB NOT NULL,
    pdf_words JSON NULL
  )`,
  // What the store is told about a delivery is signed, so that only the store's own words come back about it.
  "INSERT IGNORE INTO signing_keys (name, value) VALUES ('deliveries', RANDOM_BYTES(32))",
  // Whom we took a message from, for the Received field of what goes on (RFC 5321 §4.4).
  `ALTER TABLE messages ADD COLUMN IF NOT EXISTS client_ip VARCHAR(45) CHARACTER SET ascii NOT NULL DEFAULT '',
     ADD COLUMN IF NOT EXISTS client_helo VARCHAR(255) NOT NULL DEFAULT ''`,
]
