/** Everything that a filter showed at one moment, to be ruled on as one: which deliveries, and how far it has come. */
export const statements: readonly string[] = [
  `CREATE TABLE IF NOT EXISTS selections (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    staffer_id INT UNSIGNED NOT NULL,
    made_at DATETIME(3) NOT NULL,
    state ENUM('open','ruling','ruled','undoing','undone') NOT NULL DEFAULT 'open',
    ruling_id INT UNSIGNED NULL,
    total INT UNSIGNED NOT NULL,
    done INT UNSIGNED NOT NULL DEFAULT 0,
    left_alone INT UNSIGNED NOT NULL DEFAULT 0,
    undone_to BIGINT UNSIGNED NOT NULL DEFAULT 0,
    claimed_until DATETIME(3) NULL,
    KEY k_state (state, id),
    UNIQUE KEY k_ruling (ruling_id)
  )`,
  `CREATE TABLE IF NOT EXISTS selection_deliveries (
    selection_id INT UNSIGNED NOT NULL,
    delivery_id BIGINT UNSIGNED NOT NULL,
    PRIMARY KEY (selection_id, delivery_id)
  )`,
]
