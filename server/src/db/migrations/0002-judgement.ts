/** Ranking, calibration of the text classifier, inspection of attachments, reports. */
export const statements: readonly string[] = [
  // The place in "likeliest to be wanted first": rank_base is the message's own, rank_score with its cluster's.
  `ALTER TABLE deliveries
    ADD COLUMN rank_base DECIMAL(7,2) NOT NULL DEFAULT 0,
    ADD COLUMN rank_score DECIMAL(7,2) NOT NULL DEFAULT 0,
    MODIFY COLUMN bound_for ENUM('inbox','aside','junk','released','quarantined') NULL`,
  'ALTER TABLE deliveries DROP KEY k_state_score, DROP KEY k_mailbox_score',
  `ALTER TABLE deliveries
    ADD KEY k_state_rank (state, rank_score, id, received_day, cluster_key, score),
    ADD KEY k_mailbox_rank (mailbox_id, state, rank_score, id, received_day, cluster_key, score),
    DROP KEY k_cluster,
    ADD KEY k_cluster (cluster_key, state, received_day, mailbox_id, score, rank_score, received_at, expires_at)`,
  // A colleague's report is a ruling without a staffer.
  'ALTER TABLE rulings MODIFY COLUMN staffer_id INT UNSIGNED NULL',
  `CREATE TABLE clusters (
    cluster_key CHAR(32) CHARACTER SET ascii NOT NULL PRIMARY KEY,
    deliveries INT UNSIGNED NOT NULL,
    shift DECIMAL(7,2) NOT NULL DEFAULT 0
  )`,
  `CREATE TABLE text_calibration (
    id TINYINT UNSIGNED NOT NULL PRIMARY KEY,
    slope DOUBLE NOT NULL,
    intercept DOUBLE NOT NULL,
    lessons INT UNSIGNED NOT NULL,
    last_lesson INT UNSIGNED NOT NULL,
    log_loss DOUBLE NOT NULL,
    fitted_at DATETIME(3) NOT NULL
  )`,
  // A message some of whose attachments are being looked at by the attachment lab.
  `CREATE TABLE inspections (
    message_id BIGINT UNSIGNED NOT NULL PRIMARY KEY,
    attempts INT UNSIGNED NOT NULL DEFAULT 0,
    next_at DATETIME(3) NOT NULL,
    claimed_until DATETIME(3) NULL,
    done_at DATETIME(3) NULL,
    tickets JSON NOT NULL,
    verdict ENUM('clean','harmful','unknown') NULL,
    problem VARCHAR(500) NOT NULL DEFAULT '',
    KEY k_due (done_at, next_at)
  )`,
]
