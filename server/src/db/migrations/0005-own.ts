/** Colleagues' own pages: signing in on a device, links in digests, what a digest lists. */
export const statements: readonly string[] = [
  // Keys this installation signs with. Made by the database, so that any process finds the same.
  `CREATE TABLE signing_keys (
    name VARCHAR(20) CHARACTER SET ascii NOT NULL PRIMARY KEY,
    value VARBINARY(64) NOT NULL
  )`,
  "INSERT INTO signing_keys VALUES ('links', RANDOM_BYTES(32))",
  // A mailbox without a row has no password, has not been welcomed, and its links are of epoch 1.
  `CREATE TABLE colleague_access (
    mailbox_id INT UNSIGNED NOT NULL PRIMARY KEY,
    password VARCHAR(300) CHARACTER SET ascii NULL,
    links_epoch INT UNSIGNED NOT NULL DEFAULT 1,
    welcomed_at DATETIME(3) NULL,
    code VARCHAR(300) CHARACTER SET ascii NULL,
    code_until DATETIME(3) NULL
  )`,
  // By the hash of an address, whether a mailbox has it or not: a limit must not tell which mailboxes there are.
  `CREATE TABLE colleague_tries (
    address_hash CHAR(64) CHARACTER SET ascii NOT NULL,
    kind ENUM('code','proof') NOT NULL,
    n INT UNSIGNED NOT NULL,
    since DATETIME(3) NOT NULL,
    PRIMARY KEY (address_hash, kind),
    KEY k_since (since)
  )`,
  `CREATE TABLE colleague_sessions (
    id CHAR(64) CHARACTER SET ascii NOT NULL PRIMARY KEY,
    mailbox_id INT UNSIGNED NOT NULL,
    csrf CHAR(43) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
    expires_at DATETIME(3) NOT NULL,
    KEY k_mailbox (mailbox_id),
    KEY k_expires (expires_at)
  )`,
  'ALTER TABLE rulings ADD COLUMN colleague_id INT UNSIGNED NULL',
  `ALTER TABLE mailboxes ADD COLUMN digest_lists_junk BOOLEAN NOT NULL DEFAULT TRUE,
    ADD COLUMN digest_lists_near_certain BOOLEAN NOT NULL DEFAULT FALSE`,
  "ALTER TABLE outbox MODIFY COLUMN kind ENUM('delivery','digest','answer','welcome','code') NOT NULL",
]
