/** The part of a move that is under way: what of it went is found again when nobody heard the answer. */
export const statements: readonly string[] = [
  `ALTER TABLE store_moves ADD COLUMN IF NOT EXISTS begun JSON NULL AFTER moved`,
]
