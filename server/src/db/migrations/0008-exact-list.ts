/** Filters that leave little of a million deliveries are read by their own key. */
export const statements: readonly string[] = [
  'ALTER TABLE messages ADD KEY IF NOT EXISTS k_size (direction, size)',
  'ALTER TABLE deliveries ADD KEY IF NOT EXISTS k_score (score, received_at)',
]
