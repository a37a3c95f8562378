/** How long mail is kept, by kind and mailbox; times away; what was changed about a mailbox; jobs that one process does at a time. */
export const statements: readonly string[] = [
  `ALTER TABLE mailboxes
    ADD COLUMN IF NOT EXISTS keep_quarantined SMALLINT UNSIGNED NULL,
    ADD COLUMN IF NOT EXISTS keep_junk SMALLINT UNSIGNED NULL,
    ADD COLUMN IF NOT EXISTS keep_discarded SMALLINT UNSIGNED NULL,
    ADD KEY IF NOT EXISTS k_name (name, id),
    ADD KEY IF NOT EXISTS k_department (department)`,
  'ALTER TABLE deliveries ADD COLUMN IF NOT EXISTS kept_until DATETIME(3) NULL',
  // One number of days for all kinds became a number for each.
  `UPDATE organisation SET settings = JSON_REMOVE(JSON_SET(settings,
     '$.keep', JSON_OBJECT(
       'quarantined', CAST(JSON_VALUE(settings, '$.keepDays') AS UNSIGNED),
       'junk', CAST(JSON_VALUE(settings, '$.keepDays') AS UNSIGNED),
       'discarded', CAST(JSON_VALUE(settings, '$.keepDays') AS UNSIGNED)),
     '$.headerDays', 93), '$.keepDays')
   WHERE JSON_VALUE(settings, '$.keepDays') IS NOT NULL`,
  `CREATE TABLE IF NOT EXISTS away_periods (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    mailbox_id INT UNSIGNED NOT NULL,
    from_at DATETIME(3) NOT NULL,
    until_at DATETIME(3) NOT NULL,
    note VARCHAR(200) NOT NULL DEFAULT '',
    digests_to_id INT UNSIGNED NULL,
    KEY k_mailbox (mailbox_id, from_at),
    KEY k_until (until_at)
  )`,
  `CREATE TABLE IF NOT EXISTS mailbox_changes (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    mailbox_id INT UNSIGNED NULL,
    at DATETIME(3) NOT NULL,
    what VARCHAR(20) NOT NULL,
    was LONGTEXT NOT NULL CHECK (JSON_VALID(was)),
    is_now LONGTEXT NOT NULL CHECK (JSON_VALID(is_now)),
    token CHAR(36) NOT NULL,
    undone_at DATETIME(3) NULL,
    UNIQUE KEY k_token (token),
    KEY k_mailbox (mailbox_id, what, id)
  )`,
  `CREATE TABLE IF NOT EXISTS chores (
    name VARCHAR(40) NOT NULL PRIMARY KEY,
    claimed_until DATETIME(3) NULL,
    next_at DATETIME(3) NOT NULL,
    done BIGINT UNSIGNED NOT NULL DEFAULT 0
  )`,
  "INSERT IGNORE INTO chores (name, next_at) VALUES ('purge', '2000-01-01'), ('ends', '2900-01-01')",
  "ALTER TABLE live_events MODIFY COLUMN kind ENUM('came-in','changed','ruled','digest','senders','enquiry','mailbox') NOT NULL",
  'ALTER TABLE digests ADD KEY IF NOT EXISTS k_cut (cut)',
]
