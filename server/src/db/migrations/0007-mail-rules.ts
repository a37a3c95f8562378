/** A mailbox's own rules, and what they said of each delivery. What was done before it was cut short is passed over. */
export const statements: readonly string[] = [
  `CREATE TABLE IF NOT EXISTS mail_rules (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    mailbox_id INT UNSIGNED NOT NULL,
    place SMALLINT UNSIGNED NOT NULL,
    name VARCHAR(120) NOT NULL,
    needs ENUM('all','any') NOT NULL,
    conditions JSON NOT NULL,
    action JSON NOT NULL,
    switched_on BOOLEAN NOT NULL DEFAULT TRUE,
    made_at DATETIME(3) NOT NULL,
    UNIQUE KEY k_place (mailbox_id, place)
  )`,
  // rule_id and rule_says: the first rule that matched, whether or not something before it had decided.
  `ALTER TABLE deliveries
    ADD COLUMN IF NOT EXISTS rule_id INT UNSIGNED NULL,
    ADD COLUMN IF NOT EXISTS rule_says ENUM('inbox','moved','junk') NULL,
    ADD COLUMN IF NOT EXISTS folder VARCHAR(120) NULL,
    MODIFY COLUMN bound_for ENUM('inbox','aside','junk','released','quarantined','moved') NULL,
    MODIFY COLUMN came_from ENUM('junk','quarantined','aside','moved') NULL`,
  'ALTER TABLE deliveries ADD KEY IF NOT EXISTS k_rule (rule_id, received_at)',
]
