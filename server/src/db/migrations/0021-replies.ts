/** Automatic replies: what a mailbox answers by itself, and whom it has answered when. */
export const statements: readonly string[] = [
  `CREATE TABLE IF NOT EXISTS automatic_replies (
    mailbox_id INT UNSIGNED NOT NULL PRIMARY KEY,
    mode ENUM('off','away','always') NOT NULL,
    setting LONGTEXT NOT NULL CHECK (JSON_VALID(setting))
  )`,
  `CREATE TABLE IF NOT EXISTS automatic_replies_sent (
    mailbox_id INT UNSIGNED NOT NULL,
    address VARCHAR(320) NOT NULL,
    at DATETIME(3) NOT NULL,
    delivery_id BIGINT UNSIGNED NOT NULL,
    sent_at DATETIME(3) NULL,
    PRIMARY KEY (mailbox_id, address),
    KEY k_delivery (delivery_id)
  )`,
  "ALTER TABLE outbox MODIFY COLUMN kind ENUM('delivery','digest','answer','welcome','code','letter','reply') NOT NULL",
]
