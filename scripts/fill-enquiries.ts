// What the door turned away in the last weeks, and what colleagues asked about: the help desk's calls.
import { randomUUID } from 'node:crypto'
import type { EnquiryState, WhereQuestion } from '@pendro/contract'
import type { Chance } from '@pendro/demo/random'
import { execute, select, type Database } from '../server/src/db/database.ts'
import { Outbox } from '../server/src/db/models/deliveries.ts'
import { Refusals } from '../server/src/db/models/messages.ts'
import { EnquiryLetters } from '../server/src/db/models/whereabouts.ts'
import { insert, insertOne } from '../server/src/db/rows.ts'
import { openEnquiry } from '../server/src/whereabouts/enquiries.ts'

const hour = 3_600_000
const day = 24 * hour

/** Who tried to deliver to whom, and why it was not taken. All invented. */
const refused: readonly {
  readonly from: string
  readonly to: string
  readonly helo: string
  readonly code: number
  readonly reason: string
}[] = [
  {
    from: 'kontor@fjellby-skole.example',
    to: 'gruppe@vindholm.example',
    helo: 'mx2.fjellby-skole.example',
    code: 550,
    reason: '5.1.1 No mailbox here has the address gruppe@vindholm.example',
  },
  {
    from: 'elin.sorvik@quayside-dental.example',
    to: 'kari.mohn@vindholm.example',
    helo: 'out.quayside-dental.example',
    code: 550,
    reason: '5.1.1 No mailbox here has the address kari.mohn@vindholm.example',
  },
  {
    from: 'drawings@brinemark-yard.example',
    to: 'tore.vik@vindholm.example',
    helo: 'mail.brinemark-yard.example',
    code: 552,
    reason: '5.3.4 The message is larger than 26214400 bytes',
  },
  {
    from: 'paymaster@isle-council.example',
    to: 'invoice@vindholm.example',
    helo: 'relay.isle-council.example',
    code: 550,
    reason: '5.1.1 No mailbox here has the address invoice@vindholm.example',
  },
]

interface Asked {
  readonly mailbox: string
  readonly hoursAgo: number
  readonly how: 'phone' | 'mail' | 'page' | 'in person'
  readonly words: string
  readonly question: WhereQuestion
  readonly state: EnquiryState
  readonly answer?: string
  /** What the colleague wrote on their page after it. */
  readonly writtenBack?: string
}

const asked: readonly Asked[] = [
  {
    mailbox: 'groups@vindholm.example',
    hoursAgo: 0.6,
    how: 'phone',
    words: 'Invoice request from Fjellby school, expected yesterday before noon.',
    question: { from: 'Fjellby skole', to: 'Group Bookings', about: 'faktura', when: '' },
    state: 'being looked for',
  },
  {
    mailbox: 'kari.moen@vindholm.example',
    hoursAgo: 1.5,
    how: 'page',
    words: 'My sister’s photos never arrive.',
    question: { from: 'Berit Moen', to: 'Kari Moen', about: 'photos', when: '' },
    state: 'new',
  },
  {
    mailbox: 'tore.vik@vindholm.example',
    hoursAgo: 3,
    how: 'phone',
    words: 'Drawings from the yard; they say it came back to them.',
    question: { from: 'brinemark-yard.example', to: 'Tore Vik', about: '', when: '' },
    state: 'waiting for sender',
    answer: 'Their message is larger than we take. They will send a link instead.',
    writtenBack: 'They say the link was sent this morning. I don’t see it either.',
  },
  {
    mailbox: 'crewing@vindholm.example',
    hoursAgo: 26,
    how: 'in person',
    words: 'Application of J. Wikmar with certificates.',
    question: { from: 'Jonas Wikmar', to: 'Crewing', about: 'application certificates', when: '' },
    state: 'found',
    answer: 'It was held back because of a locked archive, and is in the inbox now.',
  },
  {
    mailbox: 'aksel.brandt@vindholm.example',
    hoursAgo: 30,
    how: 'mail',
    words: 'Offer from Holmfjord Tau, promised on Monday.',
    question: { from: 'holmfjord-tau.example', to: 'Aksel Brandt', about: '', when: '' },
    state: 'never sent to us',
    answer: 'Nothing has come from that domain. They are looking whether it left their house.',
  },
]

interface Written {
  readonly enquiryId: number
  readonly mailbox: { readonly id: number; readonly name: string }
  readonly staffer: string
  readonly answer: string
  readonly writtenBack: string | undefined
  /** When the enquiry was opened. */
  readonly at: Date
}

/** An answer of half an hour later, and what came back; both have long arrived. */
async function fillLetters(
  db: Database,
  { enquiryId, mailbox, staffer, answer, writtenBack, at }: Written,
): Promise<void> {
  const later = (hours: number) => new Date(at.getTime() + hours * hour)
  const letter = await insertOne(db, EnquiryLetters, {
    enquiry_id: enquiryId,
    at: later(0.4),
    by_kind: 'staffer',
    by_name: staffer,
    how: 'mail',
    words: answer,
    message_id: `<enquiry-${enquiryId}-${randomUUID()}@vindholm.example>`,
    read_at: writtenBack === undefined ? null : later(0.9),
  })
  const [sent, place] = [later(0.4), String(mailbox.id)]
  await insert(db, Outbox, [{ kind: 'letter', subject_id: letter, place, next_at: sent, done_at: sent }])
  if (writtenBack !== undefined)
    await insertOne(db, EnquiryLetters, {
      enquiry_id: enquiryId,
      at: later(1),
      by_kind: 'colleague',
      by_name: mailbox.name,
      how: 'page',
      words: writtenBack,
    })
}

export async function fillEnquiries(db: Database, chance: Chance, now: Date): Promise<void> {
  await insert(
    db,
    Refusals,
    refused.map(({ from, to, helo, code, reason }, i) => ({
      at: new Date(now.getTime() - (i + 1) * 9 * hour - Math.floor(chance.next() * hour)),
      ip: `192.0.2.${20 + i}`,
      helo,
      envelope_from: from,
      recipient: to,
      code,
      reason,
    })),
  )
  // Harvesters try names at any domain; nobody is told of them, and a search passes them by.
  await insert(
    db,
    Refusals,
    Array.from({ length: 240 }, (_, i) => ({
      at: new Date(now.getTime() - Math.floor(chance.next() * 28 * day)),
      ip: `198.51.100.${1 + (i % 200)}`,
      helo: `host${i % 37}.sprayer.example`,
      envelope_from: `win${i}@prize-${chance.pick(['velvet', 'opal', 'willow', 'cobalt'])}.example`,
      recipient: `${chance.pick(['admin', 'sales', 'webmaster', 'test', 'office'])}${i % 9}@vindholm.example`,
      code: 550,
      reason: '5.1.1 No mailbox here has this address',
    })),
  )
  const mailboxes = await select<{ id: number; name: string; address: string }>(
    db,
    'SELECT id, name, address FROM mailboxes WHERE address IN (:addresses)',
    { addresses: asked.map(({ mailbox }) => mailbox) },
  )
  const staffers = await select<{ id: number; name: string }>(
    db,
    "SELECT id, name FROM staffers WHERE role <> 'observer' ORDER BY id",
  )
  for (const [i, { mailbox, hoursAgo, how, words, question, state, answer, writtenBack }] of [...asked]
    .reverse()
    .entries()) {
    const whose = mailboxes.find(({ address }) => address === mailbox)
    const staffer = state === 'new' ? undefined : staffers[i % staffers.length]
    if (!whose) continue
    const at = new Date(now.getTime() - hoursAgo * hour)
    const id = await openEnquiry(
      db,
      {
        actor: staffer
          ? { kind: 'staffer', id: staffer.id, name: staffer.name }
          : { kind: 'colleague', id: null, name: whose.name },
        stafferId: staffer?.id ?? null,
      },
      { mailboxId: whose.id, how, words, question },
      at,
    )
    await execute(db, 'UPDATE enquiries SET state = :state, answer = :answer WHERE id = :id', {
      id,
      state,
      answer: answer ?? '',
    })
    if (answer !== undefined)
      await fillLetters(db, {
        enquiryId: id,
        mailbox: whose,
        staffer: staffer?.name ?? '',
        answer,
        writtenBack,
        at,
      })
  }
  await execute(db, 'DELETE FROM enquiry_queue')
}
