/** What was read of a message is kept, so that no screen parses it again. */
export const statements: readonly string[] = [
  `CREATE TABLE IF NOT EXISTS message_readings (
    message_id BIGINT UNSIGNED NOT NULL PRIMARY KEY,
    gzip MEDIUMBLOB NOT NULL,
    pdf_words JSON NULL
  )`,
]
