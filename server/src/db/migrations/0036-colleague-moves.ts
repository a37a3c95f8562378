/** What people move in their mail programs, out of the junk folder and into it. */
export const statements: readonly string[] = [
  `CREATE TABLE IF NOT EXISTS colleague_moves (
    delivery_id BIGINT UNSIGNED NOT NULL PRIMARY KEY,
    mailbox_id INT UNSIGNED NOT NULL,
    cluster_key CHAR(32) CHARACTER SET ascii NOT NULL,
    verdict ENUM('junk','wanted') NOT NULL,
    at DATETIME(3) NOT NULL,
    ruling_id INT UNSIGNED NULL,
    KEY cluster (cluster_key, verdict, mailbox_id),
    KEY at (at),
    KEY mailbox (mailbox_id, at),
    FOREIGN KEY (delivery_id) REFERENCES deliveries (id) ON DELETE CASCADE,
    FOREIGN KEY (mailbox_id) REFERENCES mailboxes (id),
    FOREIGN KEY (ruling_id) REFERENCES rulings (id)
  )`,
]
