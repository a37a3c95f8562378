/** To whom colleagues wrote, shown with what they sent; what people called a message, for the list of what was misjudged. */
export const statements: readonly string[] = [
  "ALTER TABLE messages ADD COLUMN IF NOT EXISTS sent_to VARCHAR(1000) NOT NULL DEFAULT ''",
  'ALTER TABLE messages ADD KEY IF NOT EXISTS k_called (called, received_at)',
]
