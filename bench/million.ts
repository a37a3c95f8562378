import { trigrams } from '@pendro/core/whereabouts'
import { demoOrganisation } from '../scripts/fill-demo.ts'
import { demoStaffers } from '../scripts/sign-ins.mjs'
import { execute, select, type Database } from '../server/src/db/database.ts'
import { migrate } from '../server/src/db/migrate.ts'
import { setUp } from '../server/src/set-up.ts'
import { senderText } from '../server/src/intake/index-messages.ts'

/** A house with less mail has fewer colleagues and fewer people who write to them. */
const mailboxesOf = (n: number) => n / 500
const sendersOf = (n: number) => n / 50
const words = 4_000

/** Five words of a vocabulary, a few of them in much of the mail and most in little of it. */
const subject = `CONCAT_WS(' ', ${[7919, 104729, 1299709, 15485863, 32452843]
  .map(
    (prime, i) =>
      `CONCAT('wo', CONV(100 + FLOOR(POW((seq * ${prime} % ${1_000_003 - i * 2}) / 1000003, 2) * ${words}), 10, 36))`,
  )
  .join(', ')})`
/** Name and address of who wrote each message, one of `senders`. */
function partyOf(senders: number): { name: string; address: string } {
  const sender = `(seq * 48271 % ${senders})`
  const first = `CONCAT('na', CONV(1000 + ${sender} % 331, 10, 36), 'el')`
  const last = `CONCAT('mo', CONV(5000 + ${sender} % 1999, 10, 36), 'ar')`
  return {
    name: `CONCAT(${first}, ' ', ${last})`,
    address: `CONCAT(${first}, '.', ${last}, '@', CONV(40000 + ${sender} DIV 3, 10, 36), 'haus.example')`,
  }
}
/** Most messages are small, one in a thousand has megabytes. */
const size = `IF(seq % 1000 = 7, 5000000 + seq % 900 * 10000, 2000 + seq * 7919 % 90000)`
const received = (n: number) =>
  `DATE_SUB(:now, INTERVAL (${n} - seq) * ${Math.floor((93 * 86_400) / n)} SECOND)`

/** A quarter of the mail comes in tens of the same text. */
const cluster = "MD5(IF(id % 4 = 0, CONCAT('mass ', id DIV 40), id))"

/** `n` deliveries of 93 days, one a message. Gives the time that the deliveries themselves took to import. */
export async function fillMail(db: Database, n: number, now: Date): Promise<number> {
  const { name, address } = partyOf(sendersOf(n))
  await migrate(db)
  await setUp(db, {
    organisation: demoOrganisation,
    mailboxes: Array.from({ length: mailboxesOf(n) }, (_, i) => ({
      address: `colleague${i}@vindholm.example`,
      aliases: [],
      name: `Colleague ${i.toString(36)}`,
      kind: 'person' as const,
      department: 'Deck',
      timeZone: 'Europe/Oslo',
      language: 'en',
    })),
    staffers: demoStaffers,
  })
  for (const trigger of ['deliveries_counted_in', 'deliveries_counted_on', 'deliveries_counted_out'])
    await execute(db, `DROP TRIGGER ${trigger}`)
  await execute(
    db,
    `INSERT INTO messages (id, direction, received_at, envelope_from, from_name, from_address, subject, size, sender_facts, harm, bulk)
     SELECT seq, 'in', ${received(n)}, ${address}, ${name}, ${address}, ${subject}, ${size}, '{}', NULL, FALSE FROM seq_1_to_${n}`,
    { now },
  )
  await execute(db, `INSERT INTO message_words SELECT id, CONCAT(subject, ' ', from_name) FROM messages`)
  const began = performance.now()
  await execute(
    db,
    `INSERT INTO deliveries (id, message_id, mailbox_id, address_used, received_at, received_day, expires_at, state, score, left_out,
       from_name, from_address, subject, reasons, attachments, cluster_key, rank_base, rank_score)
     SELECT id, id, 1 + id % ${mailboxesOf(n)}, 'x', received_at, DATE(received_at), DATE_ADD(received_at, INTERVAL 28 DAY),
       ELT(1 + id % 10, 'quarantined', 'junk', 'inbox', 'inbox', 'inbox', 'inbox', 'inbox', 'aside', 'released', 'discarded'),
       id % 100, id % 7 = 0, from_name, from_address, subject, '[]', 0, ${cluster}, id % 100, id % 100 FROM messages`,
  )
  const took = performance.now() - began
  await execute(
    db,
    `INSERT INTO review_counts SELECT received_day, state, LEAST(FLOOR(score / 2), 49), COUNT(*) FROM deliveries GROUP BY 1, 2, 3`,
  )
  await execute(
    db,
    "INSERT INTO known_senders (address, name, words) SELECT DISTINCT from_address, from_name, CONCAT(from_name, ' ', REPLACE(REPLACE(from_address, '@', ' '), '.', ' ')) FROM messages",
  )
  const known = await select<{ id: number; address: string; name: string }>(
    db,
    'SELECT id, address, name FROM known_senders',
  )
  const rows = known.flatMap(({ id, address: from, name }) =>
    trigrams(senderText(name, from)).map(trigram => `('${trigram}', ${id})`),
  )
  for (let i = 0; i < rows.length; i += 5000)
    await execute(db, `INSERT IGNORE INTO sender_trigrams VALUES ${rows.slice(i, i + 5000).join(',')}`)
  for (const table of ['messages', 'deliveries', 'message_words', 'sender_trigrams', 'known_senders'])
    await select(db, `ANALYZE TABLE ${table}`)
  return took
}
