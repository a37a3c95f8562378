import MailComposer from 'nodemailer/lib/mail-composer'
import { readReply, referenceOf } from '@pendro/core/digest'
import { execute, inTransaction, select, type Database } from '../server/src/db/database.ts'
import { findMailboxRow, readOrganisation } from '../server/src/db/organisation.ts'
import { cutDigest } from '../server/src/digests/digests.ts'
import { atMost, inTurns, type Section } from './measure.ts'

/** Digests of the demo's mailboxes against what could not be done without, and reading a long reply. */
export async function benchDigests(db: Database): Promise<Section> {
  const organisation = await readOrganisation(db)
  const mailboxIds = (
    await select<{ mailbox_id: number }>(
      db,
      "SELECT DISTINCT mailbox_id FROM deliveries WHERE state IN ('quarantined', 'junk') LIMIT 150",
    )
  ).map(row => row.mailbox_id)
  const now = new Date()
  const undo = new Error('measured; nothing is kept')
  const ours = async () => {
    for (const id of mailboxIds) {
      await inTransaction(db, async tx => {
        const mailbox = await findMailboxRow(db, id, tx)
        if (mailbox)
          await cutDigest(db, tx, mailbox, {
            organisation,
            publicUrl: 'https://pendro.harbour.example',
            cut: now,
          })
        throw undo
      }).catch(error => {
        if (error !== undo) throw error
      })
    }
  }
  const bare = async () => {
    for (const id of mailboxIds) {
      const rows = await select<{ subject: string; from_address: string; reasons: unknown }>(
        db,
        `SELECT id, from_name, from_address, subject, received_at, expires_at, left_out, reasons FROM deliveries
         WHERE mailbox_id = :id AND state IN ('quarantined', 'junk') ORDER BY score, id`,
        { id },
      )
      const text = rows
        .map(row => `${row.from_address}\n${row.subject}\n${JSON.stringify(row.reasons)}`)
        .join('\n\n')
      const html = rows
        .map(
          row =>
            `<div style="border:1px solid #D8D1C2;border-radius:8px;padding:12px 14px">${row.from_address}<br>${row.subject}</div>`,
        )
        .join('\n')
      await new MailComposer({ from: 'a@x.example', to: 'b@x.example', subject: 'Kept back', text, html })
        .compile()
        .build()
    }
  }
  for (const statement of [
    'DELETE FROM digest_lines',
    'DELETE FROM digests',
    "DELETE FROM outbox WHERE kind = 'digest'",
    'UPDATE deliveries SET digest_id = NULL',
  ])
    await execute(db, statement)
  const [cut = 0, plain = 0] = await inTurns(5, ours, bare)

  const line = `> > Shop <desk@shop.example> wrote something of no interest\n> > ${referenceOf(12_345)}\n`
  const long = line.repeat(Math.ceil(1_000_000 / line.length))
  const reply = (text: string) => () =>
    Promise.resolve(
      readReply({ headers: [], envelopeFrom: 'a@x.example', subject: 'Re:', text, htmlText: '' }),
    )
  const [read = 0, split = 0, double = 0] = await inTurns(
    15,
    reply(long),
    () => Promise.resolve(long.split('\n')),
    reply(long + long),
  )
  return {
    title: 'Digests',
    rows: [
      atMost(
        `Cutting ${mailboxIds.length} digests, each in a transaction of its own`,
        cut,
        plain,
        3,
        'bare SQL for their lines, and nodemailer building as much',
      ),
      atMost('Reading a reply of 1 MB', read, split, 50, 'splitting it into lines'),
      atMost('A reply of 2 MB', double, read, 2.4, 'one of 1 MB: linear'),
    ],
    notes: '',
  }
}
