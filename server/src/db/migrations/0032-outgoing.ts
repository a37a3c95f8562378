/** Mail of colleagues on its way out, and what each door and way has seen. */
export const statements: readonly string[] = [
  `CREATE TABLE IF NOT EXISTS relays (
    id BIGINT UNSIGNED NOT NULL AUTO_INCREMENT PRIMARY KEY,
    message_id BIGINT UNSIGNED NOT NULL,
    recipient VARCHAR(320) NOT NULL,
    state ENUM('waiting','taken','returned') NOT NULL DEFAULT 'waiting',
    give_up_at DATETIME(3) NOT NULL,
    ended_at DATETIME(3) NULL,
    problem VARCHAR(500) NOT NULL DEFAULT '',
    KEY message (message_id),
    FOREIGN KEY (message_id) REFERENCES messages (id)
  )`,
  'ALTER TABLE messages ADD COLUMN IF NOT EXISTS by_program TINYINT(1) NOT NULL DEFAULT 0',
  "ALTER TABLE outbox MODIFY COLUMN kind ENUM('delivery','digest','answer','welcome','code','letter','reply','invitation','relay','return') NOT NULL",
  `CREATE TABLE IF NOT EXISTS door_days (
    door VARCHAR(300) NOT NULL,
    day DATE NOT NULL,
    taken INT UNSIGNED NOT NULL DEFAULT 0,
    refused INT UNSIGNED NOT NULL DEFAULT 0,
    later INT UNSIGNED NOT NULL DEFAULT 0,
    PRIMARY KEY (door, day)
  )`,
  `CREATE TABLE IF NOT EXISTS door_states (
    door VARCHAR(300) NOT NULL PRIMARY KEY,
    taken_at DATETIME(3) NULL,
    problem_at DATETIME(3) NULL,
    problem VARCHAR(500) NOT NULL DEFAULT ''
  )`,
  `CREATE TABLE IF NOT EXISTS door_connections (
    process CHAR(36) NOT NULL,
    n INT UNSIGNED NOT NULL,
    door VARCHAR(300) NOT NULL,
    ip VARCHAR(45) NOT NULL,
    helo VARCHAR(255) NOT NULL,
    tls VARCHAR(40) NOT NULL,
    began_at DATETIME(3) NOT NULL,
    seen_at DATETIME(3) NOT NULL,
    ended_at DATETIME(3) NULL,
    taken INT UNSIGNED NOT NULL DEFAULT 0,
    answer VARCHAR(500) NOT NULL DEFAULT '',
    PRIMARY KEY (process, n),
    KEY began (began_at)
  )`,
]
