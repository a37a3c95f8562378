/** Who looks at what was kept back, what is said of it when nobody does, and folders that a mail program leaves out. */
export const statements: readonly string[] = [
  `CREATE TABLE IF NOT EXISTS mailbox_looks (
    mailbox_id INT UNSIGNED NOT NULL PRIMARY KEY,
    kept_at DATETIME(3) NULL,
    junk_at DATETIME(3) NULL,
    reminded_at DATETIME(3) NULL
  )`,
  `ALTER TABLE mailboxes
    ADD COLUMN IF NOT EXISTS junk_shown ENUM('always','new','never') NOT NULL DEFAULT 'always',
    ADD COLUMN IF NOT EXISTS reminders ENUM('digest','message','off') NOT NULL DEFAULT 'digest',
    ADD COLUMN IF NOT EXISTS unfetched LONGTEXT NULL CHECK (JSON_VALID(unfetched))`,
  "INSERT IGNORE INTO chores (name, next_at) VALUES ('reminders', '2020-01-01')",
  // Mail rules that a ruling made ("put back, and keep it so"); they go when that is undone.
  `CREATE TABLE IF NOT EXISTS ruling_rules (
    ruling_id INT UNSIGNED NOT NULL,
    rule_id INT UNSIGNED NOT NULL,
    PRIMARY KEY (ruling_id, rule_id)
  )`,
]
