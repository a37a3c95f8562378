/** Statements of the first schema, in order. Every table has a primary key; no statement depends on one node. */
export const statements: readonly string[] = [
  `CREATE TABLE organisation (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    name VARCHAR(200) NOT NULL,
    time_zone VARCHAR(64) CHARACTER SET ascii NOT NULL,
    settings JSON NOT NULL
  )`,
  `CREATE TABLE mailboxes (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    address VARCHAR(320) COLLATE utf8mb4_bin NOT NULL UNIQUE,
    name VARCHAR(200) NOT NULL,
    kind ENUM('person','shared','list') NOT NULL,
    department VARCHAR(100) NOT NULL DEFAULT '',
    time_zone VARCHAR(64) CHARACTER SET ascii NOT NULL,
    language VARCHAR(20) CHARACTER SET ascii NOT NULL,
    limit_junk DECIMAL(4,1) NULL,
    limit_quarantined DECIMAL(4,1) NULL,
    limit_near_certain DECIMAL(4,1) NULL,
    uses_set_aside BOOLEAN NOT NULL DEFAULT FALSE,
    filtering BOOLEAN NOT NULL DEFAULT TRUE,
    KEY k_name (name)
  )`,
  `CREATE TABLE mailbox_addresses (
    address VARCHAR(320) COLLATE utf8mb4_bin NOT NULL PRIMARY KEY,
    mailbox_id INT UNSIGNED NOT NULL,
    KEY k_mailbox (mailbox_id),
    FOREIGN KEY (mailbox_id) REFERENCES mailboxes (id)
  )`,
  `CREATE TABLE minders (
    mailbox_id INT UNSIGNED NOT NULL,
    minder_id INT UNSIGNED NOT NULL,
    PRIMARY KEY (mailbox_id, minder_id)
  )`,
  `CREATE TABLE staffers (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    name VARCHAR(200) NOT NULL,
    sign_in VARCHAR(200) NOT NULL UNIQUE,
    role ENUM('helpdesk','steward','observer') NOT NULL,
    password VARCHAR(300) CHARACTER SET ascii NOT NULL
  )`,
  `CREATE TABLE sessions (
    id CHAR(64) CHARACTER SET ascii NOT NULL PRIMARY KEY,
    staffer_id INT UNSIGNED NOT NULL,
    csrf CHAR(43) CHARACTER SET ascii COLLATE ascii_bin NOT NULL,
    expires_at DATETIME(3) NOT NULL,
    KEY k_expires (expires_at)
  )`,
  `CREATE TABLE messages (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    direction ENUM('in','out') NOT NULL,
    received_at DATETIME(3) NOT NULL,
    message_id_hash CHAR(64) CHARACTER SET ascii NULL,
    envelope_from VARCHAR(320) NOT NULL,
    from_name VARCHAR(255) NOT NULL,
    from_address VARCHAR(320) NOT NULL,
    subject VARCHAR(500) NOT NULL,
    size INT UNSIGNED NOT NULL,
    sender_facts JSON NOT NULL,
    harm JSON NULL,
    bulk BOOLEAN NOT NULL,
    unreadable VARCHAR(200) NULL,
    KEY k_message_id (message_id_hash)
  )`,
  `CREATE TABLE message_sources (
    message_id BIGINT UNSIGNED NOT NULL PRIMARY KEY,
    gzip LONGBLOB NOT NULL
  )`,
  // One row for each address (or list) a message was sent under. domain_key holds the labels from the
  // right ('example.x.mail.'), so that a domain and all under it are one range.
  `CREATE TABLE message_senders (
    message_id BIGINT UNSIGNED NOT NULL,
    place ENUM('from','envelope','sender','list') NOT NULL,
    n TINYINT UNSIGNED NOT NULL,
    domain_key VARCHAR(260) CHARACTER SET ascii NOT NULL,
    address VARCHAR(320) COLLATE utf8mb4_bin NOT NULL,
    PRIMARY KEY (message_id, place, n),
    KEY k_domain (domain_key, message_id),
    KEY k_address (address, message_id)
  )`,
  // The keys of the review list hold all that choosing a page looks at, so that choosing reads no rows.
  `CREATE TABLE deliveries (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    message_id BIGINT UNSIGNED NOT NULL,
    mailbox_id INT UNSIGNED NOT NULL,
    address_used VARCHAR(320) NOT NULL,
    received_at DATETIME(3) NOT NULL,
    received_day DATE NOT NULL,
    expires_at DATETIME(3) NOT NULL,
    state ENUM('inspecting','inbox','aside','junk','quarantined','sealed','deferred','bounced','released','discarded','expired','moved') NOT NULL,
    bound_for ENUM('inbox','aside','junk','released') NULL,
    came_from ENUM('junk','quarantined') NULL,
    score DECIMAL(4,1) NOT NULL,
    left_out BOOLEAN NOT NULL,
    landed_at DATETIME(3) NULL,
    from_name VARCHAR(255) NOT NULL,
    from_address VARCHAR(320) NOT NULL,
    subject VARCHAR(500) NOT NULL,
    reasons JSON NOT NULL,
    attachments TINYINT UNSIGNED NOT NULL,
    cluster_key CHAR(32) CHARACTER SET ascii NOT NULL,
    KEY k_state_score (state, score, id, received_day, cluster_key),
    KEY k_state_received (state, received_at, id, received_day, cluster_key, score),
    KEY k_state_expires (state, expires_at, id, received_day, cluster_key, score),
    KEY k_mailbox_score (mailbox_id, state, score, id, received_day, cluster_key),
    KEY k_mailbox_received (mailbox_id, state, received_at, id, received_day, cluster_key, score),
    KEY k_cluster (cluster_key, state, received_day, mailbox_id, score, received_at, expires_at),
    UNIQUE KEY k_message (message_id, mailbox_id)
  )`,
  `CREATE TABLE delivery_judgements (
    delivery_id BIGINT UNSIGNED NOT NULL PRIMARY KEY,
    evidence JSON NOT NULL,
    path JSON NOT NULL
  )`,
  // How many deliveries a day, state and score band holds: the review's totals without counting rows.
  `CREATE TABLE review_counts (
    received_day DATE NOT NULL,
    state VARCHAR(12) CHARACTER SET ascii NOT NULL,
    bin TINYINT UNSIGNED NOT NULL,
    n INT NOT NULL,
    PRIMARY KEY (state, received_day, bin)
  )`,
  `CREATE TRIGGER deliveries_counted_in AFTER INSERT ON deliveries FOR EACH ROW
    INSERT INTO review_counts VALUES (NEW.received_day, NEW.state, LEAST(FLOOR(NEW.score / 2), 49), 1)
    ON DUPLICATE KEY UPDATE n = n + 1`,
  `CREATE TRIGGER deliveries_counted_on AFTER UPDATE ON deliveries FOR EACH ROW
    IF NEW.state <> OLD.state OR NEW.score <> OLD.score THEN
      UPDATE review_counts SET n = n - 1
        WHERE received_day = OLD.received_day AND state = OLD.state AND bin = LEAST(FLOOR(OLD.score / 2), 49);
      INSERT INTO review_counts VALUES (NEW.received_day, NEW.state, LEAST(FLOOR(NEW.score / 2), 49), 1)
        ON DUPLICATE KEY UPDATE n = n + 1;
    END IF`,
  `CREATE TRIGGER deliveries_counted_out AFTER DELETE ON deliveries FOR EACH ROW
    UPDATE review_counts SET n = n - 1
      WHERE received_day = OLD.received_day AND state = OLD.state AND bin = LEAST(FLOOR(OLD.score / 2), 49)`,
  `CREATE TABLE correspondence (
    address VARCHAR(320) COLLATE utf8mb4_bin NOT NULL,
    mailbox_id INT UNSIGNED NOT NULL,
    domain VARCHAR(255) CHARACTER SET ascii NOT NULL,
    n INT UNSIGNED NOT NULL,
    PRIMARY KEY (address, mailbox_id),
    KEY k_domain (domain)
  )`,
  // Key: an address, or '@domain' for all addresses of it.
  `CREATE TABLE senders_seen (
    sender VARCHAR(320) COLLATE utf8mb4_bin NOT NULL PRIMARY KEY,
    n INT UNSIGNED NOT NULL,
    wanted INT NOT NULL DEFAULT 0,
    junk INT NOT NULL DEFAULT 0
  )`,
  // The empty word counts the ruled-on messages in all.
  `CREATE TABLE words (
    word VARCHAR(100) COLLATE utf8mb4_nopad_bin NOT NULL PRIMARY KEY,
    wanted INT NOT NULL,
    junk INT NOT NULL
  )`,
  `CREATE TABLE sender_entries (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    mailbox_id INT UNSIGNED NULL,
    kind ENUM('address','domain','subtree','list') NOT NULL,
    pattern VARCHAR(400) COLLATE utf8mb4_bin NOT NULL,
    standing ENUM('safe','blocked') NOT NULL,
    binding BOOLEAN NOT NULL,
    without_authentication BOOLEAN NOT NULL,
    until DATETIME(3) NULL,
    reason VARCHAR(1000) NOT NULL,
    origin ENUM('by hand','ruling','digest','import') NOT NULL,
    created_at DATETIME(3) NOT NULL,
    ended_at DATETIME(3) NULL,
    live_key VARCHAR(450) COLLATE utf8mb4_bin AS (IF(ended_at IS NULL, CONCAT(COALESCE(mailbox_id, 0), ' ', standing, ' ', pattern), NULL)) VIRTUAL,
    UNIQUE KEY k_live (live_key),
    KEY k_pattern (pattern, ended_at),
    KEY k_mailbox (mailbox_id, ended_at)
  )`,
  `CREATE TABLE rulings (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    token CHAR(36) CHARACTER SET ascii NOT NULL UNIQUE,
    staffer_id INT UNSIGNED NOT NULL,
    at DATETIME(3) NOT NULL,
    sentence JSON NOT NULL,
    undone_at DATETIME(3) NULL
  )`,
  `CREATE TABLE ruling_deliveries (
    ruling_id INT UNSIGNED NOT NULL,
    delivery_id BIGINT UNSIGNED NOT NULL,
    from_state VARCHAR(12) CHARACTER SET ascii NOT NULL,
    to_state VARCHAR(12) CHARACTER SET ascii NOT NULL,
    PRIMARY KEY (ruling_id, delivery_id),
    KEY k_delivery (delivery_id, ruling_id)
  )`,
  `CREATE TABLE ruling_entries (
    ruling_id INT UNSIGNED NOT NULL,
    entry_id INT UNSIGNED NOT NULL,
    what ENUM('added','ended') NOT NULL,
    PRIMARY KEY (ruling_id, entry_id, what),
    KEY k_entry (entry_id)
  )`,
  // What a ruling taught, word by word, so that undoing it takes back exactly that.
  `CREATE TABLE lessons (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    ruling_id INT UNSIGNED NULL,
    message_id BIGINT UNSIGNED NULL,
    verdict ENUM('wanted','junk','phishing') NOT NULL,
    words JSON NOT NULL,
    senders JSON NOT NULL,
    KEY k_ruling (ruling_id),
    KEY k_message (message_id)
  )`,
  `CREATE TABLE record_entries (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    at DATETIME(3) NOT NULL,
    act VARCHAR(40) CHARACTER SET ascii NOT NULL,
    by_kind ENUM('staffer','colleague','pendro') NOT NULL,
    by_id INT UNSIGNED NULL,
    by_name VARCHAR(200) NOT NULL,
    mailbox_id INT UNSIGNED NULL,
    delivery_id BIGINT UNSIGNED NULL,
    ruling_id INT UNSIGNED NULL,
    reason VARCHAR(1000) NOT NULL,
    facts JSON NOT NULL,
    KEY k_delivery (delivery_id, id),
    KEY k_mailbox (mailbox_id, id),
    KEY k_kind (by_kind, id),
    KEY k_ruling (ruling_id, id),
    KEY k_at (at)
  )`,
  `CREATE TRIGGER record_never_changes BEFORE UPDATE ON record_entries FOR EACH ROW
    SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'record entries are never changed'`,
  `CREATE TRIGGER record_never_shrinks BEFORE DELETE ON record_entries FOR EACH ROW
    SIGNAL SQLSTATE '45000' SET MESSAGE_TEXT = 'record entries are never removed'`,
  `CREATE TABLE digests (
    id INT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    mailbox_id INT UNSIGNED NOT NULL,
    since DATETIME(3) NOT NULL,
    cut DATETIME(3) NOT NULL,
    listed INT UNSIGNED NOT NULL,
    left_out INT UNSIGNED NOT NULL,
    state ENUM('waiting','sent','bounced') NOT NULL,
    problem VARCHAR(500) NOT NULL DEFAULT '',
    source LONGBLOB NOT NULL,
    UNIQUE KEY k_window (mailbox_id, since)
  )`,
  // What has to happen outside, queued in the transaction that decides it.
  `CREATE TABLE outbox (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    kind ENUM('delivery','digest') NOT NULL,
    subject_id BIGINT UNSIGNED NOT NULL,
    place VARCHAR(20) CHARACTER SET ascii NOT NULL,
    attempts INT UNSIGNED NOT NULL DEFAULT 0,
    next_at DATETIME(3) NOT NULL,
    claimed_until DATETIME(3) NULL,
    done_at DATETIME(3) NULL,
    problem VARCHAR(500) NOT NULL DEFAULT '',
    UNIQUE KEY k_subject (kind, subject_id, place),
    KEY k_due (done_at, next_at)
  )`,
  `CREATE TABLE live_events (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    at DATETIME(3) NOT NULL,
    kind ENUM('came-in','changed','ruled','digest') NOT NULL,
    delivery_id BIGINT UNSIGNED NULL,
    state VARCHAR(12) CHARACTER SET ascii NULL,
    by_name VARCHAR(200) NOT NULL,
    KEY k_at (at)
  )`,
]
