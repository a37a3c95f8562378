/** Lists that change one at a time, and a record that proves itself. */
export const statements: readonly string[] = [
  // Written by every change of a list (0: the organisation's) before it looks: two changes of one list at once follow
  // each other, on one server by the row's lock and in a cluster by its certification.
  `CREATE TABLE IF NOT EXISTS list_versions (
    mailbox_id INT UNSIGNED NOT NULL PRIMARY KEY,
    version BIGINT UNSIGNED NOT NULL
  )`,
  // The record's entries in the order they were sealed, each hash over the one before it. An entry is queued by its
  // own transaction, since ids are given out before they are committed.
  `CREATE TABLE IF NOT EXISTS record_seals (
    seq BIGINT UNSIGNED NOT NULL PRIMARY KEY,
    entry_id BIGINT UNSIGNED NOT NULL UNIQUE,
    hash BINARY(32) NOT NULL
  )`,
  'CREATE TABLE IF NOT EXISTS record_unsealed (entry_id BIGINT UNSIGNED NOT NULL PRIMARY KEY)',
  'INSERT IGNORE INTO record_unsealed SELECT id FROM record_entries WHERE id NOT IN (SELECT entry_id FROM record_seals)',
  `CREATE OR REPLACE TRIGGER record_waits_for_seal AFTER INSERT ON record_entries FOR EACH ROW
    INSERT INTO record_unsealed (entry_id) VALUES (NEW.id)`,
]
