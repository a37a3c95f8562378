import MailComposer from 'nodemailer/lib/mail-composer'
import { parseMessage } from '@pendro/core/message'
import { execute, openDatabase, select, type Database } from '../server/src/db/database.ts'
import { migrate } from '../server/src/db/migrate.ts'
import { setUp } from '../server/src/set-up.ts'
import { workDigests } from '../server/src/digests/sending.ts'
import { demoOrganisation } from '../scripts/fill-demo.ts'
import { atMost, type Section } from './measure.ts'

const mailboxes = 5_000
const deliveries = 1_000_000
/** Kept-back deliveries a mailbox has that no digest has told yet. */
const fresh = 8

/** 200 kept-back deliveries a mailbox over 28 days; the newest are in no digest yet. */
async function fill(db: Database, now: Date): Promise<void> {
  await migrate(db)
  await setUp(db, {
    organisation: demoOrganisation,
    mailboxes: Array.from({ length: mailboxes }, (_, i) => ({
      address: `person${i}@vindholm.example`,
      aliases: [],
      name: `Person ${i}`,
      kind: 'person' as const,
      department: 'Deck',
      timeZone: 'Europe/Oslo',
      language: ['en', 'nb', 'de', 'pl'][i % 4] ?? 'en',
    })),
    staffers: [],
  })
  await execute(db, 'INSERT INTO colleague_access (mailbox_id, welcomed_at) SELECT id, :now FROM mailboxes', {
    now,
  })
  // The totals of the review list are none of this measurement's business.
  await execute(db, 'DROP TRIGGER deliveries_counted_in')
  await execute(
    db,
    `INSERT INTO deliveries (id, message_id, mailbox_id, address_used, received_at, received_day, expires_at, state, score, left_out,
       from_name, from_address, subject, reasons, attachments, cluster_key, digest_id, rank_base, rank_score)
     SELECT seq, seq, 1 + seq % ${mailboxes}, 'x', DATE_SUB(:now, INTERVAL 1 + seq DIV ${mailboxes} * 200 + seq % 60 MINUTE), DATE(:now),
       DATE_ADD(:now, INTERVAL 20 DAY), 'quarantined', 45 + seq % 50, seq % 5 = 0, CONCAT('Sender ', seq % 977), CONCAT('sales', seq % 977, '@shop', seq % 977, '.example'),
       CONCAT('An offer that is number ', seq, ' of its kind'), '[{"finding":"words-junk","facts":{"words":"offer"}},{"finding":"first-from-domain","facts":{"domain":"x.example"}}]',
       0, MD5(seq), IF(seq DIV ${mailboxes} < ${fresh}, NULL, 0), 0, 0
     FROM seq_1_to_${deliveries - 1}`,
    { now },
  )
  await select(db, 'ANALYZE TABLE deliveries')
}

/** All digests of one hour, cut by the scheduler as in real life, against reading the lines and building as many bytes. */
export async function benchDigestsAtScale(
  url: (database: string) => string,
  sql: (statement: string) => void,
): Promise<Section> {
  sql('DROP DATABASE IF EXISTS pendro_digests; CREATE DATABASE pendro_digests')
  const db = openDatabase(url('pendro_digests'))
  const now = new Date()
  await fill(db, now)
  const work = () => workDigests(db, { now: () => now, publicUrl: 'https://pendro.vindholm.example' })
  await work()
  await execute(db, 'UPDATE digest_due SET next_at = :due', { due: new Date(now.getTime() - 1000) })
  const heaps: number[] = []
  let worked = 0
  const began = performance.now()
  let ours = 0
  while (worked < mailboxes) {
    const start = performance.now()
    worked += await work()
    ours += performance.now() - start
    if (performance.now() - began > 600_000) throw new Error(`only ${worked} digests in ten minutes`)
    global.gc?.()
    heaps.push(process.memoryUsage().heapUsed)
  }
  const sources = await select<{ mailbox_id: number; source: Buffer }>(
    db,
    'SELECT mailbox_id, source FROM digests ORDER BY id LIMIT 1000',
  )
  const texts = await Promise.all(
    sources.map(async ({ mailbox_id: id, source }) => {
      const parsed = await parseMessage(source)
      if (!parsed.ok) throw new Error('a digest of ours can not be read')
      return { id, subject: parsed.value.subject, text: parsed.value.text, html: parsed.value.html ?? '' }
    }),
  )
  await execute(db, 'UPDATE deliveries SET digest_id = NULL WHERE digest_id > 0')
  // A fifth of the mailboxes, so that the copies of their texts fit in memory beside the rest.
  const start = performance.now()
  for (const { id, subject, text, html } of texts) {
    await select(
      db,
      `SELECT id, from_name, from_address, subject, received_at, expires_at, score, left_out, reasons FROM deliveries
       WHERE mailbox_id = :id AND digest_id IS NULL AND state IN ('quarantined', 'junk') ORDER BY score, id`,
      { id },
    )
    await new MailComposer({ from: 'a@x.example', to: 'b@x.example', subject, text, html }).compile().build()
  }
  const bare = ((performance.now() - start) * mailboxes) / texts.length
  const [{ listed = 0, n = 0 } = {}] = await select<{ listed: number; n: number }>(
    db,
    'SELECT COUNT(*) AS n, SUM(listed) AS listed FROM digests',
  )
  await db.close()
  const early = heaps[4] ?? 0
  const late = heaps.at(-1) ?? 0
  return {
    title: 'All digests of one hour: 5,000 mailboxes, 1,000,000 kept-back deliveries',
    rows: [
      atMost(
        `Cutting ${n.toLocaleString('en')} digests with ${Number(listed).toLocaleString('en')} lines, each committed by itself`,
        ours,
        bare,
        3,
        'bare SQL for their lines, and nodemailer building the same texts',
      ),
      {
        what: 'Heap after the last of them',
        ours: `${Math.round(late / 1e6)} MB`,
        against: `${Math.round(early / 1e6)} MB (after the first thousand)`,
        ratio: late / early,
        wanted: 'at most 1.2',
        met: late / early <= 1.2,
      },
    ],
    notes:
      'The bare side is measured on 1,000 of the mailboxes and taken times five. Ours writes a digest, its lines, each delivery’s mark, the outbox, the plan and the record, and waits for the commit of each.',
  }
}
