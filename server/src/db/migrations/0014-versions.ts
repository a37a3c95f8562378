/** What processes keep in memory because it is the same for all messages, and how often each has changed. */
export const statements: readonly string[] = [
  `CREATE TABLE IF NOT EXISTS versions (
     name VARCHAR(40) NOT NULL PRIMARY KEY,
     n BIGINT UNSIGNED NOT NULL
   )`,
  "INSERT IGNORE INTO versions (name, n) VALUES ('correspondents', 1), ('calibration', 1)",
  // Moves by itself, so that nobody who changes the settings can forget it, and a change by hand counts, too.
  `ALTER TABLE organisation ADD COLUMN IF NOT EXISTS
     changed_at TIMESTAMP(6) NOT NULL DEFAULT CURRENT_TIMESTAMP(6) ON UPDATE CURRENT_TIMESTAMP(6)`,
]
