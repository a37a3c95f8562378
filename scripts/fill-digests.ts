// The digests of the last days and what colleagues answered, made by the same code as in real life.
import { lettersOf } from '../server/src/own/letters.ts'
import { lastDigest } from '@pendro/core/digest'
import { parseMessage } from '@pendro/core/message'
import { trustedHost } from '@pendro/demo/organisation'
import type { Chance } from '@pendro/demo/random'
import { execute, inTransaction, select, type Database } from '../server/src/db/database.ts'
import {
  digestSchedule,
  mailboxRows,
  readOrganisation,
  type MailboxRow,
  type Organisation,
} from '../server/src/db/organisation.ts'
import { cutDigest } from '../server/src/digests/digests.ts'
import { takeReply } from '../server/src/digests/replies.ts'
import { hashPassword } from '../server/src/sign-in/passwords.ts'
import { createLog } from '../server/src/log.ts'
import { workOutbox } from '../server/src/outbox/outbox.ts'
import { demoColleague } from './sign-ins.mjs'

const day = 86_400_000

/** Days whose digests are made; before them mail was in digests that are no longer kept. */
const pastDays = 2

const log = createLog('silent')

/** Links of the demo's digests lead to where the demo will be. */
const publicUrl = process.env.PENDRO_PUBLIC_URL ?? ''

/** What some mailboxes asked for in place of "daily at 07:00". */
async function chooseSchedules(db: Database, ids: readonly number[], chance: Chance): Promise<void> {
  for (const id of ids) {
    const dice = chance.next()
    const [times, weekdays] =
      dice < 0.04
        ? [[], null]
        : dice < 0.12
          ? [['06:00'], null]
          : dice < 0.22
            ? [
                ['07:00', '15:00'],
                [1, 2, 3, 4, 5],
              ]
            : dice < 0.3
              ? [['08:00'], [1, 2, 3, 4, 5]]
              : dice < 0.35
                ? [['11:00'], null]
                : [null, null]
    if (times)
      await execute(
        db,
        'UPDATE mailboxes SET digest_times = :times, digest_weekdays = :weekdays WHERE id = :id',
        { id, times: JSON.stringify(times), weekdays: weekdays && JSON.stringify(weekdays) },
      )
  }
}

/** All have been welcomed before; one password for all of them, as for the staffers. */
async function giveAccess(db: Database, now: Date): Promise<void> {
  await execute(
    db,
    "INSERT INTO colleague_access (mailbox_id, password, welcomed_at) SELECT id, :password, :at FROM mailboxes WHERE kind = 'person'",
    { password: await hashPassword(demoColleague.password), at: new Date(now.getTime() - 90 * day) },
  )
}

export async function fillDigests(db: Database, chance: Chance, now: Date): Promise<void> {
  const ids = (await select<{ id: number }>(db, 'SELECT id FROM mailboxes ORDER BY id')).map(row => row.id)
  await chooseSchedules(db, ids, chance)
  await giveAccess(db, now)
  const organisation = await readOrganisation(db)
  // One reads a long digest once a week, and wants to see all of it.
  await execute(
    db,
    `UPDATE mailboxes SET digest_times = '["07:00"]', digest_weekdays = '[1]', digest_lists_near_certain = TRUE WHERE address = :address`,
    { address: demoColleague.address },
  )
  // What is older was in digests of its day, which are not kept in the demo.
  await execute(
    db,
    `UPDATE deliveries d JOIN mailboxes b ON b.id = d.mailbox_id SET d.digest_id = 0
     WHERE d.received_at <= IF(b.address = :address, :weeks, :days) AND d.state IN ('quarantined', 'junk')`,
    {
      address: demoColleague.address,
      weeks: new Date(now.getTime() - 14 * day),
      days: new Date(now.getTime() - (pastDays + 1) * day),
    },
  )
  const mailboxes = await mailboxRows(db, ids)
  for (const mailbox of mailboxes.values()) await cutPast(db, organisation, mailbox, now)
  await execute(db, "UPDATE digests SET state = 'sent'")
  await execute(db, "UPDATE outbox SET done_at = next_at WHERE kind = 'digest'")
  await answerSome(db, now)
  const taken = () => Promise.resolve({ status: 'taken' } as const)
  while (
    (await workOutbox({
      db,
      log,
      now: () => now,
      send: taken,
      letter: lettersOf({ db, publicUrl, now: () => now }),
    })) > 0
  );
}

async function cutPast(
  db: Database,
  organisation: Organisation,
  mailbox: MailboxRow,
  now: Date,
): Promise<void> {
  const schedule = digestSchedule(mailbox, organisation)
  const cuts: number[] = []
  for (
    let at = lastDigest(schedule, now.getTime());
    at !== null && at > now.getTime() - pastDays * day;
    at = lastDigest(schedule, at - 1)
  )
    cuts.unshift(at)
  await inTransaction(db, async tx => {
    for (const cut of cuts) await cutDigest(db, tx, mailbox, { organisation, publicUrl, cut: new Date(cut) })
  })
}

/** A few answers: lines left, a word instead of a code, a slip, a notice of absence. */
async function answerSome(db: Database, now: Date): Promise<void> {
  const lines = await select<{ reference: string; address: string; name: string; cut: Date }>(
    db,
    `SELECT MIN(l.reference) AS reference, b.address, b.name, MAX(g.cut) AS cut FROM digest_lines l
     JOIN digests g ON g.id = l.digest_id JOIN mailboxes b ON b.id = l.mailbox_id
     WHERE l.reference IS NOT NULL AND b.kind = 'person' GROUP BY b.id ORDER BY b.id LIMIT 4`,
  )
  const texts = [
    (reference: string) => `> Kept back for you\n> ${reference}\n\nThank you!`,
    () => 'Yes, please send me the one from the printer. It is about the proof.',
    // Two symbols changed places, as fingers do it.
    (reference: string) => `${reference[1]}${reference[0]}${reference.slice(2)} please`,
    (reference: string) => `I am at sea until Monday.\n\n> ${reference}`,
  ]
  for (const [i, { reference, address, name, cut }] of lines.entries()) {
    const raw = Buffer.from(
      [
        `Authentication-Results: ${trustedHost}; dmarc=pass header.from=${address.split('@')[1]}`,
        `Received: from mail.${address.split('@')[1]} (mail.${address.split('@')[1]} [192.0.2.25]) by ${trustedHost} with ESMTPS; ${now.toUTCString()}`,
        `From: =?UTF-8?B?${Buffer.from(name).toString('base64')}?= <${address}>`,
        `To: ${(await readOrganisation(db)).digestAddress}`,
        'Subject: Re: Kept back for you',
        `Message-ID: <reply-${i}@${address.split('@')[1]}>`,
        ...(i === 3 ? ['Auto-Submitted: auto-replied'] : []),
        'Content-Type: text/plain; charset=utf-8',
        '',
        texts[i]?.(reference) ?? '',
      ].join('\r\n'),
    )
    const at = new Date(Math.min(now.getTime(), cut.getTime() + (12 + i * 9) * 60_000))
    await takeReply(db, {
      publicUrl: '',
      raw,
      parsed: await parseMessage(raw),
      envelopeFrom: address,
      connection: { ip: '127.0.0.1', helo: trustedHost },
      authenticate: undefined,
      now: at,
    })
  }
}
