/** Whose tries are counted, where it is somebody's; an invitation that goes as a message. */
export const statements: readonly string[] = [
  "ALTER TABLE sign_in_tries ADD COLUMN IF NOT EXISTS kind ENUM('code','factor','proof','staff') NOT NULL DEFAULT 'staff', ADD COLUMN IF NOT EXISTS account VARCHAR(320) NOT NULL DEFAULT '', ADD COLUMN IF NOT EXISTS is_strange TINYINT(1) NOT NULL DEFAULT 1",
  "ALTER TABLE outbox MODIFY COLUMN kind ENUM('delivery','digest','answer','welcome','code','letter','reply','invitation') NOT NULL",
]
