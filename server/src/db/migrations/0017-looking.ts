/** To whom colleagues wrote, shown with what they sent; what people called a message, for the list of what was misjudged; asking for a digest by mail. */
export const statements: readonly string[] = [
  "ALTER TABLE messages ADD COLUMN IF NOT EXISTS sent_to VARCHAR(1000) NOT NULL DEFAULT ''",
  "ALTER TABLE digest_replies MODIFY COLUMN outcome ENUM('asked','nothing-left','automatic','fresh') NOT NULL",
  'ALTER TABLE messages ADD KEY IF NOT EXISTS k_called (called, received_at)',
]
