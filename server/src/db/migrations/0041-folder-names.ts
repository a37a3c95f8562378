/** How the store of a mailbox names folders within folders. */
export const statements: readonly string[] = [
  `ALTER TABLE store_mailboxes ADD COLUMN IF NOT EXISTS separator_char VARCHAR(1) NOT NULL DEFAULT '/' AFTER looked_at`,
  `ALTER TABLE store_mailboxes ADD COLUMN IF NOT EXISTS prefix VARCHAR(100) NOT NULL DEFAULT '' AFTER separator_char`,
]
