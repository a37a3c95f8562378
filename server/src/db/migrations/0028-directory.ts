/** Mailboxes that come and go: closed ones, and where a directory knows them from. */
export const statements: readonly string[] = [
  `ALTER TABLE mailboxes
    ADD COLUMN IF NOT EXISTS closed_at DATETIME(3) NULL,
    ADD COLUMN IF NOT EXISTS closed_to_id INT UNSIGNED NULL,
    ADD COLUMN IF NOT EXISTS directory_id VARCHAR(200) NULL`,
]
