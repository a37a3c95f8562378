/** Weights of an organisation's own, limits by department, watching before mail is held back, and senders known without history. */
export const statements: readonly string[] = [
  'ALTER TABLE mailbox_changes MODIFY what VARCHAR(40) NOT NULL',
  // By which weights a delivery was judged: the change that set them, 0 for the shipped ones.
  'ALTER TABLE delivery_judgements ADD COLUMN IF NOT EXISTS weights INT UNSIGNED NOT NULL DEFAULT 0',
  `ALTER TABLE deliveries
    ADD COLUMN IF NOT EXISTS would ENUM('junk','quarantined','discarded') NULL,
    ADD KEY IF NOT EXISTS k_would (would, received_day)`,
  'ALTER TABLE text_calibration ADD COLUMN IF NOT EXISTS curve LONGTEXT NULL CHECK (JSON_VALID(curve))',
  'ALTER TABLE messages ADD COLUMN IF NOT EXISTS language CHAR(3) CHARACTER SET ascii NULL',
  // Where judgement is often wrong, and somebody said why that is all right.
  `CREATE TABLE IF NOT EXISTS drift_aside (
    drift_key VARCHAR(330) NOT NULL PRIMARY KEY,
    wrong INT UNSIGNED NOT NULL,
    at DATETIME(3) NOT NULL,
    by_name VARCHAR(200) NOT NULL,
    reason VARCHAR(1000) NOT NULL
  )`,
  `CREATE TABLE IF NOT EXISTS contacts (
    address VARCHAR(320) NOT NULL,
    mailbox_id INT UNSIGNED NOT NULL,
    source ENUM('brought-in','directory') NOT NULL,
    PRIMARY KEY (address, mailbox_id, source),
    KEY k_mailbox (mailbox_id)
  )`,
  `CREATE TABLE IF NOT EXISTS history_runs (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    at DATETIME(3) NOT NULL,
    name VARCHAR(200) NOT NULL,
    by_name VARCHAR(200) NOT NULL,
    state ENUM('learning','done','undoing','undone') NOT NULL,
    taken INT UNSIGNED NOT NULL,
    left_out INT UNSIGNED NOT NULL
  )`,
  `CREATE TABLE IF NOT EXISTS history_messages (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    run_id INT UNSIGNED NOT NULL,
    hash CHAR(64) CHARACTER SET ascii NOT NULL,
    mailbox_id INT UNSIGNED NOT NULL,
    verdict ENUM('wanted','junk','sent') NOT NULL,
    senders LONGTEXT NOT NULL CHECK (JSON_VALID(senders)),
    written_to LONGTEXT NOT NULL CHECK (JSON_VALID(written_to)),
    message_id_hash CHAR(64) CHARACTER SET ascii NULL,
    subject VARCHAR(500) NOT NULL,
    UNIQUE KEY u_hash (hash),
    KEY k_run (run_id),
    KEY k_message_id (message_id_hash)
  )`,
  `ALTER TABLE lessons
    ADD COLUMN IF NOT EXISTS history_id INT UNSIGNED NULL,
    ADD KEY IF NOT EXISTS k_history (history_id)`,
  `CREATE TABLE IF NOT EXISTS weight_fit (
    id TINYINT UNSIGNED NOT NULL PRIMARY KEY,
    base INT UNSIGNED NOT NULL,
    own LONGTEXT NOT NULL CHECK (JSON_VALID(own)),
    lessons INT UNSIGNED NOT NULL,
    last_lesson INT UNSIGNED NOT NULL,
    loss_before DOUBLE NOT NULL,
    loss_after DOUBLE NOT NULL,
    loss_error DOUBLE NOT NULL,
    fitted_at DATETIME(3) NOT NULL,
    taken_lesson INT UNSIGNED NOT NULL DEFAULT 0
  )`,
]
