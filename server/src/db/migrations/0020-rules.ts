/** Mail rules say two things apart: whether a message is held, and where it goes. Rules of the organisation have no mailbox. */
export const statements: readonly string[] = [
  `ALTER TABLE mail_rules
    MODIFY COLUMN mailbox_id INT UNSIGNED NULL,
    ADD COLUMN IF NOT EXISTS version INT UNSIGNED NOT NULL DEFAULT 1,
    ADD KEY IF NOT EXISTS k_mailbox (mailbox_id, place)`,
  'ALTER TABLE mail_rules DROP KEY IF EXISTS k_place',
  // One text became several values, of which one is enough. The first of each condition is enough to know which form a rule has.
  `UPDATE mail_rules r SET conditions = (
     SELECT JSON_ARRAYAGG(JSON_OBJECT('field', c.field, 'test', c.test, 'values', JSON_ARRAY(c.text)))
     FROM JSON_TABLE(r.conditions, '$[*]' COLUMNS (
       field VARCHAR(20) PATH '$.field', test VARCHAR(20) PATH '$.test', text VARCHAR(500) PATH '$.text')) c)
   WHERE JSON_VALUE(r.conditions, '$[0].text') IS NOT NULL`,
  // A rule that filed also let in whatever the score said: it goes on doing both.
  `UPDATE mail_rules SET action = CASE JSON_VALUE(action, '$.kind')
     WHEN 'folder' THEN JSON_OBJECT('hold', 'let-in', 'place', JSON_OBJECT('kind', 'folder', 'folder', JSON_VALUE(action, '$.folder')),
       'important', FALSE, 'stop', FALSE)
     WHEN 'inbox' THEN JSON_OBJECT('hold', 'let-in', 'place', JSON_OBJECT('kind', 'inbox'), 'important', FALSE, 'stop', FALSE)
     ELSE JSON_OBJECT('hold', 'junk', 'place', NULL, 'important', FALSE, 'stop', FALSE) END
   WHERE JSON_VALUE(action, '$.kind') IS NOT NULL`,
  `ALTER TABLE deliveries
    ADD COLUMN IF NOT EXISTS rule_holds ENUM('let-in','junk','discarded') NULL,
    ADD COLUMN IF NOT EXISTS rule_places ENUM('inbox','moved','aside') NULL,
    ADD COLUMN IF NOT EXISTS important BOOLEAN NOT NULL DEFAULT FALSE,
    MODIFY COLUMN bound_for ENUM('inbox','aside','junk','released','quarantined','moved','discarded') NULL`,
  `UPDATE deliveries SET rule_holds = IF(rule_says = 'junk', 'junk', 'let-in'), rule_places = IF(rule_says = 'junk', NULL, rule_says)
   WHERE rule_says IS NOT NULL`,
  // Rules that became sender entries; they come back when that is undone.
  `CREATE TABLE IF NOT EXISTS folded_rules (
    ruling_id INT UNSIGNED NOT NULL,
    rule_id INT UNSIGNED NOT NULL,
    was LONGTEXT NOT NULL CHECK (JSON_VALID(was)),
    PRIMARY KEY (ruling_id, rule_id)
  )`,
  'ALTER TABLE deliveries DROP KEY IF EXISTS k_rule, DROP COLUMN IF EXISTS rule_id, DROP COLUMN IF EXISTS rule_says',
]
