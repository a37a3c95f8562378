/** Tries counted by account and device, and how a colleague's session was opened. */
export const statements: readonly string[] = [
  "INSERT IGNORE INTO signing_keys VALUES ('devices', RANDOM_BYTES(32))",
  // By the hash of kind, account and device, whether there is such an account or not.
  `CREATE TABLE IF NOT EXISTS sign_in_tries (
    bucket CHAR(64) CHARACTER SET ascii NOT NULL PRIMARY KEY,
    n INT UNSIGNED NOT NULL,
    since DATETIME(3) NOT NULL,
    KEY k_since (since)
  )`,
  'DROP TABLE IF EXISTS colleague_tries',
  // Whoever came in by a code sent to the mailbox may choose a password without knowing the old one, for a while.
  'ALTER TABLE colleague_sessions ADD COLUMN IF NOT EXISTS code_at DATETIME(3) NULL',
]
