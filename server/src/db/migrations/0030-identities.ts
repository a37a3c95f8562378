/** Sign-in by an identity provider: who is who there, and what a step of it waits for. */
export const statements: readonly string[] = [
  `CREATE TABLE IF NOT EXISTS staffer_identities (
    staffer_id INT UNSIGNED NOT NULL PRIMARY KEY,
    issuer VARCHAR(300) NOT NULL,
    subject_hash CHAR(64) CHARACTER SET ascii NOT NULL,
    by_groups TINYINT(1) NOT NULL,
    made_at DATETIME(3) NOT NULL,
    used_at DATETIME(3) NULL,
    UNIQUE KEY u_subject (subject_hash),
    CONSTRAINT f_identity_staffer FOREIGN KEY (staffer_id) REFERENCES staffers (id)
  )`,
  'ALTER TABLE sign_in_steps ADD COLUMN IF NOT EXISTS facts JSON NULL',
  'ALTER TABLE sessions ADD COLUMN IF NOT EXISTS factor_elsewhere TINYINT(1) NOT NULL DEFAULT 0',
  'ALTER TABLE staffers ADD COLUMN IF NOT EXISTS password_until DATETIME(3) NULL',
]
