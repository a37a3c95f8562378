/** Sealed mail that was discarded comes back sealed. */
export const statements: readonly string[] = [
  "ALTER TABLE deliveries MODIFY COLUMN came_from ENUM('junk','quarantined','aside','moved','sealed') NULL",
  // Discarded before this was remembered: what is harmful must not come back as something that can be released.
  `UPDATE deliveries d JOIN messages m ON m.id = d.message_id SET d.came_from = 'sealed'
   WHERE d.state = 'discarded' AND d.came_from IS NULL AND m.harm IS NOT NULL`,
  // Came back already, and waits to be released.
  `UPDATE deliveries d JOIN messages m ON m.id = d.message_id
   JOIN ruling_deliveries x ON x.delivery_id = d.id AND x.from_state = 'sealed' AND x.to_state = 'discarded'
   SET d.state = 'sealed' WHERE d.state = 'quarantined' AND m.harm IS NOT NULL`,
]
