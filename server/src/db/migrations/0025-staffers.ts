/** Staffers who come and go: invitations, suspended ones, and when somebody was last seen. */
export const statements: readonly string[] = [
  `ALTER TABLE staffers
    ADD COLUMN IF NOT EXISTS suspended_at DATETIME(3) NULL,
    ADD COLUMN IF NOT EXISTS seen_at DATETIME(3) NULL`,
  `CREATE TABLE IF NOT EXISTS staffer_invitations (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    secret_hash CHAR(64) CHARACTER SET ascii NOT NULL,
    name VARCHAR(200) NOT NULL,
    sign_in VARCHAR(200) NOT NULL,
    role ENUM('helpdesk','steward','observer') NOT NULL,
    by_name VARCHAR(200) NOT NULL,
    at DATETIME(3) NOT NULL,
    expires_at DATETIME(3) NOT NULL,
    over_at DATETIME(3) NULL,
    UNIQUE KEY u_secret (secret_hash),
    KEY k_expires (expires_at)
  )`,
]
