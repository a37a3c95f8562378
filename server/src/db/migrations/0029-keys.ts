/** Keys for programs: each acts under a name of its own, which signs in nowhere. */
export const statements: readonly string[] = [
  'ALTER TABLE staffers ADD COLUMN IF NOT EXISTS is_program TINYINT(1) NOT NULL DEFAULT 0',
  `CREATE TABLE IF NOT EXISTS api_keys (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    staffer_id INT UNSIGNED NOT NULL,
    key_hash CHAR(64) CHARACTER SET ascii NOT NULL,
    made_by VARCHAR(200) NOT NULL,
    made_at DATETIME(3) NOT NULL,
    ends_at DATETIME(3) NOT NULL,
    used_at DATETIME(3) NULL,
    ended_at DATETIME(3) NULL,
    UNIQUE KEY u_key (key_hash),
    CONSTRAINT f_key_staffer FOREIGN KEY (staffer_id) REFERENCES staffers (id)
  )`,
]
