/** How far a folder had changed at its last look, where its store tells that. */
export const statements: readonly string[] = [
  `ALTER TABLE store_folders ADD COLUMN IF NOT EXISTS mod_seq VARCHAR(20) CHARACTER SET ascii NOT NULL DEFAULT '' AFTER uid_next`,
]
