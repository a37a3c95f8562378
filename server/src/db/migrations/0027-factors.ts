/** Second factors, what a step of a sign-in waits for, and devices that can be told apart. */
export const statements: readonly string[] = [
  `CREATE TABLE IF NOT EXISTS staffer_factors (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    staffer_id INT UNSIGNED NOT NULL,
    kind ENUM('code','passkey') NOT NULL,
    name VARCHAR(100) NOT NULL,
    made_at DATETIME(3) NOT NULL,
    used_at DATETIME(3) NULL,
    secret VARCHAR(64) NULL,
    step BIGINT UNSIGNED NULL,
    credential_id VARCHAR(1400) CHARACTER SET ascii COLLATE ascii_bin NULL,
    credential_hash CHAR(64) CHARACTER SET ascii NULL,
    public_key VARBINARY(2000) NULL,
    sign_count INT UNSIGNED NULL,
    transports JSON NULL,
    UNIQUE KEY u_credential (credential_hash),
    KEY k_staffer (staffer_id),
    CONSTRAINT f_factor_staffer FOREIGN KEY (staffer_id) REFERENCES staffers (id)
  )`,
  `CREATE TABLE IF NOT EXISTS recovery_codes (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    staffer_id INT UNSIGNED NOT NULL,
    code_hash CHAR(64) CHARACTER SET ascii NOT NULL,
    KEY k_staffer (staffer_id),
    CONSTRAINT f_recovery_staffer FOREIGN KEY (staffer_id) REFERENCES staffers (id)
  )`,
  `CREATE TABLE IF NOT EXISTS sign_in_steps (
    id CHAR(64) CHARACTER SET ascii NOT NULL PRIMARY KEY,
    staffer_id INT UNSIGNED NULL,
    challenge VARCHAR(100) NULL,
    secret VARCHAR(64) NULL,
    expires_at DATETIME(3) NOT NULL,
    KEY k_expires (expires_at)
  )`,
  `ALTER TABLE sessions
    ADD COLUMN IF NOT EXISTS number INT UNSIGNED NOT NULL AUTO_INCREMENT UNIQUE,
    ADD COLUMN IF NOT EXISTS opened_at DATETIME(3) NOT NULL DEFAULT CURRENT_TIMESTAMP(3),
    ADD COLUMN IF NOT EXISTS agent VARCHAR(300) NOT NULL DEFAULT '',
    ADD COLUMN IF NOT EXISTS proven_at DATETIME(3) NULL`,
]
