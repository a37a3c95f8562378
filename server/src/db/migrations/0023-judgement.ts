/** Clusters of near-duplicates; lessons that count once; the linear model beside the counts of words. */
export const statements: readonly string[] = [
  // One row a text that is unlike those there are; its bands lead to it.
  `CREATE TABLE IF NOT EXISTS cluster_texts (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    text_key CHAR(32) CHARACTER SET ascii NOT NULL,
    cluster_key CHAR(32) CHARACTER SET ascii NOT NULL,
    sketch VARBINARY(2048) NOT NULL,
    seen_at DATETIME(3) NOT NULL,
    UNIQUE KEY u_text (text_key),
    KEY k_cluster (cluster_key),
    KEY k_seen (seen_at)
  )`,
  `CREATE TABLE IF NOT EXISTS cluster_bands (
    band TINYINT UNSIGNED NOT NULL,
    hash INT UNSIGNED NOT NULL,
    text_id INT UNSIGNED NOT NULL,
    PRIMARY KEY (band, hash, text_id),
    KEY k_text (text_id)
  )`,
  `ALTER TABLE lessons
    ADD COLUMN IF NOT EXISTS counted TINYINT(1) NOT NULL DEFAULT 1,
    ADD COLUMN IF NOT EXISTS cluster_key CHAR(32) CHARACTER SET ascii NULL,
    ADD COLUMN IF NOT EXISTS sender VARCHAR(320) NULL,
    ADD COLUMN IF NOT EXISTS colleague_id INT UNSIGNED NULL,
    ADD KEY IF NOT EXISTS k_cluster (cluster_key, counted),
    ADD KEY IF NOT EXISTS k_sender (sender, counted),
    ADD KEY IF NOT EXISTS k_colleague (colleague_id, counted)`,
  `ALTER TABLE text_calibration
    ADD COLUMN IF NOT EXISTS stack_linear DOUBLE NOT NULL DEFAULT 0,
    ADD COLUMN IF NOT EXISTS stack_offset DOUBLE NOT NULL DEFAULT 0,
    ADD COLUMN IF NOT EXISTS model LONGBLOB NULL`,
]
