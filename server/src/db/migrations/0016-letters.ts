/** What colleague and help desk write to each other about an enquiry, and letters as work of the outbox. */
export const statements: readonly string[] = [
  `CREATE TABLE IF NOT EXISTS enquiry_letters (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    enquiry_id INT UNSIGNED NOT NULL,
    at DATETIME(3) NOT NULL,
    by_kind ENUM('staffer','colleague') NOT NULL,
    by_name VARCHAR(200) NOT NULL,
    how ENUM('mail','page') NOT NULL,
    subject VARCHAR(255) NOT NULL DEFAULT '',
    words VARCHAR(4000) NOT NULL,
    message_id VARCHAR(320) CHARACTER SET ascii COLLATE ascii_bin NOT NULL DEFAULT '',
    token CHAR(36) CHARACTER SET ascii NULL,
    read_at DATETIME(3) NULL,
    UNIQUE KEY k_token (token),
    KEY k_enquiry (enquiry_id, id),
    KEY k_message_id (message_id)
  )`,
  "ALTER TABLE outbox MODIFY COLUMN kind ENUM('delivery','digest','answer','welcome','code','letter') NOT NULL",
]
