/** Sender lists that can be replayed, kept up, asked about, brought in and taken out. */
export const statements: readonly string[] = [
  // What sender lists look at of a message, each once: nearly all mail of a sender is alike to them, so a
  // replay reads a few of these instead of one document a message.
  `CREATE TABLE sender_profiles (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    hash CHAR(64) CHARACTER SET ascii NOT NULL UNIQUE,
    facts JSON NOT NULL
  )`,
  // called: what a person last said of the message; kept with the lessons.
  `ALTER TABLE messages
    ADD COLUMN profile_id INT UNSIGNED NULL,
    ADD COLUMN called ENUM('wanted','junk') NULL,
    ADD KEY k_replay (received_at, profile_id)`,
  `INSERT IGNORE INTO sender_profiles (hash, facts)
    SELECT SHA2(facts, 256), facts FROM (
      SELECT DISTINCT JSON_REMOVE(sender_facts, '$.authentication.notes') AS facts FROM messages WHERE direction = 'in') f`,
  `UPDATE messages m JOIN sender_profiles p ON p.hash = CONVERT(SHA2(JSON_REMOVE(m.sender_facts, '$.authentication.notes'), 256) USING ascii)
    SET m.profile_id = p.id WHERE m.direction = 'in'`,
  `UPDATE messages m JOIN lessons l ON l.message_id = m.id SET m.called = IF(l.verdict = 'wanted', 'wanted', 'junk')`,
  'ALTER TABLE deliveries ADD KEY k_replay (message_id, mailbox_id, score, state)',
  // Entries that a delivery met when it was judged.
  `CREATE TABLE entry_matches (
    delivery_id BIGINT UNSIGNED NOT NULL,
    entry_id INT UNSIGNED NOT NULL,
    role ENUM('decided','overruled','refused') NOT NULL,
    received_day DATE NOT NULL,
    PRIMARY KEY (delivery_id, entry_id),
    KEY k_entry (entry_id, received_day, role)
  )`,
  `ALTER TABLE sender_entries
    ADD COLUMN last_matched_at DATETIME(3) NULL,
    ADD COLUMN replaces_id INT UNSIGNED NULL,
    MODIFY COLUMN origin ENUM('by hand','ruling','digest','import','contacts','mail rules','request','upkeep') NOT NULL,
    ADD KEY k_last (ended_at, last_matched_at, id),
    ADD KEY k_replaces (replaces_id)`,
  `CREATE TABLE upkeep_runs (
    id TINYINT UNSIGNED NOT NULL PRIMARY KEY,
    asked_at DATETIME(3) NOT NULL,
    claimed_until DATETIME(3) NULL,
    taken_up DATETIME(3) NULL,
    done_at DATETIME(3) NULL,
    entries INT UNSIGNED NOT NULL DEFAULT 0,
    deliveries INT UNSIGNED NOT NULL DEFAULT 0,
    problem VARCHAR(500) NOT NULL DEFAULT ''
  )`,
  `CREATE TABLE upkeep_findings (
    finding_key VARCHAR(60) CHARACTER SET ascii NOT NULL PRIMARY KEY,
    place INT UNSIGNED NOT NULL,
    kind VARCHAR(24) CHARACTER SET ascii NOT NULL,
    basis VARCHAR(600) COLLATE utf8mb4_bin NOT NULL,
    facts JSON NOT NULL,
    remedies JSON NOT NULL,
    KEY k_kind (kind, place)
  )`,
  `CREATE TABLE upkeep_finding_entries (
    finding_key VARCHAR(60) CHARACTER SET ascii NOT NULL,
    place SMALLINT UNSIGNED NOT NULL,
    entry_id INT UNSIGNED NOT NULL,
    PRIMARY KEY (finding_key, place),
    KEY k_entry (entry_id)
  )`,
  `CREATE TABLE upkeep_aside (
    finding_key VARCHAR(60) CHARACTER SET ascii NOT NULL PRIMARY KEY,
    basis VARCHAR(600) COLLATE utf8mb4_bin NOT NULL,
    reason VARCHAR(1000) NOT NULL,
    by_name VARCHAR(200) NOT NULL,
    at DATETIME(3) NOT NULL
  )`,
  // The week is named by its Monday. What people reversed can still grow for weeks that are kept.
  `CREATE TABLE list_accuracy (
    week DATE NOT NULL PRIMARY KEY,
    decided INT UNSIGNED NOT NULL,
    reversed INT UNSIGNED NOT NULL
  )`,
  `CREATE TABLE entry_requests (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    pattern VARCHAR(400) COLLATE utf8mb4_bin NOT NULL,
    standing ENUM('safe','blocked') NOT NULL,
    mailbox_id INT UNSIGNED NOT NULL,
    reason VARCHAR(1000) NOT NULL,
    asked_by VARCHAR(200) NOT NULL,
    asked_at DATETIME(3) NOT NULL,
    state ENUM('open','approved','declined') NOT NULL DEFAULT 'open',
    answer VARCHAR(1000) NOT NULL DEFAULT '',
    answered_by VARCHAR(200) NOT NULL DEFAULT '',
    answered_at DATETIME(3) NULL,
    ruling_id INT UNSIGNED NULL,
    open_key VARCHAR(430) COLLATE utf8mb4_bin AS (IF(state = 'open', CONCAT(mailbox_id, ' ', standing, ' ', pattern), NULL)) VIRTUAL,
    UNIQUE KEY k_open (open_key),
    KEY k_state (state, id)
  )`,
  `CREATE TABLE list_imports (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    staffer_id INT UNSIGNED NOT NULL,
    at DATETIME(3) NOT NULL,
    name VARCHAR(200) NOT NULL,
    format VARCHAR(10) CHARACTER SET ascii NOT NULL,
    options JSON NOT NULL,
    source LONGBLOB NOT NULL,
    state ENUM('reading','ready','taking','taken','failed') NOT NULL,
    claimed_until DATETIME(3) NULL,
    done INT UNSIGNED NOT NULL DEFAULT 0,
    total INT UNSIGNED NOT NULL DEFAULT 0,
    problem VARCHAR(500) NOT NULL DEFAULT '',
    reach JSON NULL,
    ruling_id INT UNSIGNED NULL,
    KEY k_state (state, id)
  )`,
  `CREATE TABLE list_import_lines (
    import_id INT UNSIGNED NOT NULL,
    line INT UNSIGNED NOT NULL,
    part SMALLINT UNSIGNED NOT NULL,
    typed VARCHAR(400) NOT NULL,
    outcome ENUM('added','there','covered','contradicts','refused') NOT NULL,
    pattern VARCHAR(400) COLLATE utf8mb4_bin NOT NULL DEFAULT '',
    standing ENUM('safe','blocked') NULL,
    why VARCHAR(500) NOT NULL DEFAULT '',
    reason VARCHAR(1000) NOT NULL DEFAULT '',
    until DATETIME(3) NULL,
    without_authentication BOOLEAN NOT NULL DEFAULT FALSE,
    entry_id INT UNSIGNED NULL,
    PRIMARY KEY (import_id, line, part),
    KEY k_outcome (import_id, outcome, line)
  )`,
  "ALTER TABLE live_events MODIFY COLUMN kind ENUM('came-in','changed','ruled','digest','senders') NOT NULL",
]
