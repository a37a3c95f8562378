import type { DigestLanguage, EnquirySheet, MessageAccount, WhereQuestion } from '@pendro/contract'
import { hurry } from '../outbox/queue.ts'
import { inTransaction, type Database } from '../db/database.ts'
import { findOne } from '../db/rows.ts'
import { Deliveries, DeliveryJudgements } from '../db/models/deliveries.ts'
import { findMailboxRow, readOrganisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { announce } from '../live/events.ts'
import { shownEvidence } from '../judging/judge.ts'
import type { Reader } from '../reading/reader.ts'
import { findReading } from '../reading/reading.ts'
import { writeRecord } from '../record/write.ts'
import { actor, type SignedIn } from '../sign-in/sessions.ts'
import { spokenLanguage, translator } from '../wording.ts'
import { journeysOf, type Traced } from './journeys.ts'

const languages: readonly DigestLanguage[] = ['en', 'nb', 'de', 'pl']

/** The whole way of one delivery, with what to tell the colleague. */
export async function readAccountOf(
  db: Database,
  id: number,
  now: Date,
  read: Reader['read'],
): Promise<MessageAccount> {
  const traced = (await journeysOf(db, [id], now)).get(id)
  if (!traced) throw new AppError('DELIVERY_NOT_FOUND')
  const [{ name }, mailbox, held, judged] = await Promise.all([
    readOrganisation(db),
    findMailboxRow(db, traced.mailboxId ?? 0),
    findOne(db, Deliveries, { id }, { columns: ['reasons', 'score', 'message_id'] }),
    findOne(db, DeliveryJudgements, { delivery_id: id }, { columns: ['evidence', 'path'] }),
  ])
  const reading = held && traced.state !== 'expired' ? await findReading(db, held.message_id, read) : null
  const timeZone = mailbox?.time_zone ?? 'UTC'
  const reason = held?.reasons[0]?.finding ?? ''
  const explanations = Object.fromEntries(
    languages.map(language => [language, explain(traced, { language, timeZone, reason })]),
  ) as Record<DigestLanguage, string>
  return {
    hit: { ...traced, likeness: 1, label: 'all-of-it' },
    organisation: name,
    explanations,
    messageId: reading?.headers.find(header => header.name.toLowerCase() === 'message-id')?.value ?? '',
    score: held?.score ?? 0,
    evidence: (judged?.evidence ?? []).map(shownEvidence),
    path: [...(judged?.path ?? [])],
  }
}

/** Common practice: mail is kept 93 days at most. */
const keptDays = 93

/** What to tell a colleague whose message is not there: that nothing came, or that it is waited for. */
export async function whenNothingIsFound(
  db: Database,
  mailboxId: number,
  { from, about }: WhereQuestion,
): Promise<Pick<EnquirySheet, 'language' | 'nothingCame' | 'waitForSender'>> {
  const mailbox = await findMailboxRow(db, mailboxId)
  const inEach = (key: 'nothingCame' | 'waitForSender') =>
    Object.fromEntries(
      languages.map(language => {
        const t = translator(language)
        const whose = from.trim() === '' ? t('account.sender') : from.trim()
        const facts = { from: whose, about: about.trim(), days: keptDays, address: mailbox?.address ?? '' }
        return [language, t(`account.${key}.${about.trim() === '' ? 'plain' : 'about'}`, facts)]
      }),
    ) as EnquirySheet['nothingCame']
  return {
    language: spokenLanguage(mailbox?.language ?? 'en') as DigestLanguage,
    nothingCame: inEach('nothingCame'),
    waitForSender: inEach('waitForSender'),
  }
}

interface Telling {
  readonly language: DigestLanguage
  readonly timeZone: string
  readonly reason: string
}

/** A few plain sentences to paste into an answer: what came, where it is, and what happens next. */
function explain(
  { subject, fromName, fromAddress, at, state, journey }: Traced,
  { language, timeZone, reason }: Telling,
): string {
  const t = translator(language)
  const format = new Intl.DateTimeFormat(language === 'en' ? 'en-GB' : language, {
    timeZone,
    weekday: 'long',
    day: 'numeric',
    month: 'long',
    hour: '2-digit',
    minute: '2-digit',
    hourCycle: 'h23',
  })
  const time = (iso: string | null | undefined) => (iso ? format.format(Date.parse(iso)) : '')
  const days = new Intl.DateTimeFormat(language === 'en' ? 'en-GB' : language, {
    timeZone,
    day: 'numeric',
    month: 'long',
  })
  const day = (iso: string | null | undefined) => (iso ? days.format(Date.parse(iso)) : '')
  const here = journey.find(({ stage }) => stage === 'here')
  const stop = (kind: string) => journey.find(one => one.kind === kind)
  const facts = {
    subject,
    from: fromName || fromAddress,
    received: time(at),
    time: time(here?.at),
    next: time(stop('next-try')?.at),
    until: day(stop('goes-away')?.at),
    problem: String(here?.facts.problem ?? ''),
    rule: String(here?.facts.rule ?? ''),
    folder: String(here?.facts.folder ?? ''),
  }
  const digest = stop('digest-would-list')
  return [
    t('account.cameIn', facts),
    ...whereItIs(state, here, facts, t),
    ...(here?.facts.unfetched ? [t('account.unfetched')] : []),
    ...(state === 'quarantined' || state === 'junk' ? [t(`held.${reason || 'words-junk'}`)] : []),
    ...(digest ? [t('account.digest', { time: time(digest.at) })] : []),
    ...(facts.until === '' ? [] : [t('account.until', facts)]),
  ].join(' ')
}

const inStore: ReadonlySet<string> = new Set([
  'moved-by-program',
  'moved-by-desk',
  'found-in',
  'gone-from-store',
])

/** Where it is: as its mail store has it where that is known, else where it was put. */
function whereItIs(
  state: Traced['state'],
  here: Traced['journey'][number] | undefined,
  facts: Readonly<Record<string, string>>,
  t: ReturnType<typeof translator>,
): readonly string[] {
  const unread = here?.facts.read === 'unread' ? [t('account.store.unread')] : []
  if (here && inStore.has(here.kind)) {
    const isInbox = here.facts.place === 'inbox' && here.kind !== 'gone-from-store'
    return [t(`account.store.${here.kind}${isInbox ? 'Inbox' : ''}`, facts), ...unread]
  }
  return [
    t(`account.state.${state === 'discarded' && facts.rule !== '' ? 'discardedByRule' : state}`, facts),
    ...unread,
  ]
}

/** What waits for the mail store is tried at once. */
export async function tryAgainNow(db: Database, who: SignedIn, id: number, now: Date): Promise<void> {
  await inTransaction(db, async tx => {
    const delivery = await findOne(
      db,
      Deliveries,
      { id },
      { columns: ['mailbox_id', 'state'], tx, lock: true },
    )
    if (!delivery) throw new AppError('DELIVERY_NOT_FOUND')
    if (!(await hurry(db, tx, id, now)))
      throw delivery.state === 'deferred'
        ? new AppError('WRONG_STATE', { context: 'being-sent' })
        : new AppError('WRONG_STATE', { context: 'not-waiting', state: delivery.state })
    await writeRecord(db, tx, [
      { at: now, act: 'tried-again', by: actor(who), mailboxId: delivery.mailbox_id, deliveryId: id },
    ])
    await announce(db, tx, now, [
      { kind: 'changed', deliveryId: id, state: 'deferred', by: who.staffer.name },
    ])
  })
}
