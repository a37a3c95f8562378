import type { WhereAnswer, WhereHit, WhereQuestion } from '@pendro/contract'
import { parseDomain } from '@pendro/core/address'
import {
  isIdle,
  partyLikeness,
  rate,
  readParty,
  readWhen,
  wordsOf,
  type Asked,
  type Candidate,
  type Rating,
  type TypedParty,
} from '@pendro/core/whereabouts'
import { findRow, select, type Database } from '../db/database.ts'
import { readOrganisation, type Organisation } from '../db/organisation.ts'
import { domainKey } from '../mail/intake.ts'
import { journeysOf, outboundHit, refusedHit } from './journeys.ts'
import { messagesByWords, mostMessages, sendersLike, type Window } from './search.ts'

const day = 86_400_000
/** Common practice: mail is kept 93 days at most. */
const keptDays = 93
const mostHits = 12

/** Beside a time that was named, so much is looked at too: people remember roughly. */
const slack = 21 * day

/** Where is the message from …, to …, about …, sent around …? */
export async function lookFor(db: Database, question: WhereQuestion, now: Date): Promise<WhereAnswer> {
  const organisation = await readOrganisation(db)
  const [asked, senders] = await Promise.all([
    understand(db, question, organisation, now),
    sendersLike(db, readParty(question.from), question.from),
  ])
  const since = new Date(Math.max(now.getTime() - keptDays * day, (asked.when?.from ?? 0) - slack))
  const until = new Date(Math.min(now.getTime(), (asked.when?.to ?? Infinity) + slack))
  const understood = {
    from: asked.from.kind,
    to: asked.mailboxes.slice(0, 5).map(({ id, name }) => ({ id, name })),
    unknownAddress: asked.unknownAddress,
    when: asked.when && {
      from: new Date(asked.when.from).toISOString(),
      to: new Date(asked.when.to).toISOString(),
    },
  }
  const window = { since, until }
  const counted = async () => ({
    deliveries: await countDeliveries(db, since, until),
    since: since.toISOString(),
    until: until.toISOString(),
  })
  if (asked.problem !== '')
    return { lookedAt: await counted(), understood, problem: asked.problem, hits: [], nothing: null }
  const [lookedAt, ...places] = await Promise.all([
    counted(),
    rateDeliveries(db, asked, senders, window),
    rateOutbound(db, asked, senders, window),
    rateRefusals(db, asked, question.to, window),
  ])
  const rated = places.flat().sort((a, b) => b.rating.likeness - a.rating.likeness || b.at - a.at)
  const hits = await withJourneys(db, rated.slice(0, mostHits), now)
  return {
    lookedAt,
    understood,
    problem: '',
    hits,
    nothing: hits.length === 0 ? await nothingCame(db, asked.from, now) : null,
  }
}

interface Understood extends Asked {
  readonly mailboxes: readonly { readonly id: number; readonly name: string }[]
  readonly unknownAddress: string
  readonly problem: WhereAnswer['problem']
}

async function understand(
  db: Database,
  typed: WhereQuestion,
  organisation: Organisation,
  now: Date,
): Promise<Understood> {
  const from = readParty(typed.from)
  const about = isIdle(typed.about) ? [] : wordsOf(typed.about.slice(0, 1000)).slice(0, 12)
  const when = readWhen(typed.when, { now: now.getTime(), timeZone: organisation.timeZone })
  const to = await findMailboxes(db, typed.to, organisation)
  const isBlank = from.kind === 'none' && about.length === 0 && to.likeness === null
  const nothingTyped = typed.from + typed.to + typed.about === ''
  return {
    from,
    about,
    to: to.likeness,
    when: when.ok ? when.value : null,
    mailboxes: to.mailboxes,
    unknownAddress: to.unknownAddress,
    problem: !when.ok ? when.problem.code : isBlank ? (nothingTyped ? 'more-needed' : 'only-idle-words') : '',
  }
}

interface Addressees {
  readonly likeness: ReadonlyMap<number, number> | null
  readonly mailboxes: readonly { readonly id: number; readonly name: string }[]
  readonly unknownAddress: string
}

/** Mailboxes that fit what was typed, by name or any of their addresses. */
async function findMailboxes(db: Database, text: string, { policy }: Organisation): Promise<Addressees> {
  const typed = readParty(text)
  if (typed.kind === 'none') return { likeness: null, mailboxes: [], unknownAddress: '' }
  const exactly = await mailboxesOf(db, typed, text.trim())
  const rows = exactly.length > 0 ? exactly : await mailboxesOf(db, null, '')
  const best = new Map<number, { id: number; name: string; likeness: number }>()
  for (const { id, name, address } of rows) {
    const { likeness } = partyLikeness(typed, { name, address })
    if (likeness >= 0.5 && likeness > (best.get(id)?.likeness ?? 0)) best.set(id, { id, name, likeness })
  }
  const sorted = [...best.values()].sort((a, b) => b.likeness - a.likeness)
  const top = sorted[0]?.likeness ?? 0
  const fitting = sorted.filter(({ likeness }) => likeness >= top - 0.2).slice(0, 20)
  const isOurs =
    typed.kind === 'address' &&
    policy.ownDomains.some(own => typed.domain === own || typed.domain.endsWith(`.${own}`))
  return {
    likeness: new Map(fitting.map(({ id, likeness }) => [id, top > 0 ? likeness / top : 0])),
    mailboxes: fitting,
    unknownAddress: isOurs && top < 1 ? text.trim() : '',
  }
}

interface AddressRow {
  readonly id: number
  readonly name: string
  readonly address: string
}

/** Mailboxes with that address, or with every typed word in their name; all of them when nothing was typed. */
function mailboxesOf(db: Database, typed: TypedParty | null, text: string): Promise<readonly AddressRow[]> {
  const words = typed?.kind === 'words' ? typed.words : []
  const where =
    typed === null
      ? 'TRUE'
      : words.length > 0
        ? words.map((_, i) => `b.name LIKE :word${i}`).join(' AND ')
        : 'b.id IN (SELECT mailbox_id FROM mailbox_addresses WHERE address = :address)'
  return select<AddressRow>(
    db,
    `SELECT b.id, b.name, a.address FROM mailboxes b JOIN mailbox_addresses a ON a.mailbox_id = b.id WHERE ${where}`,
    {
      address: text.toLowerCase(),
      ...Object.fromEntries(words.map((word, i) => [`word${i}`, `%${word.replace(/[\\%_]/g, '\\$&')}%`])),
    },
  )
}

async function countDeliveries(db: Database, since: Date, until: Date): Promise<number> {
  const row = await findRow<{ n: string | null }>(
    db,
    'SELECT SUM(n) AS n FROM review_counts WHERE received_day BETWEEN DATE(:since) AND DATE(:until)',
    { since, until },
  )
  return Number(row?.n ?? 0)
}

interface Rated {
  readonly kind: WhereHit['kind']
  readonly id: number
  readonly at: number
  readonly rating: Rating
}

interface DeliveryRow {
  readonly id: number
  readonly message_id: number
  readonly mailbox_id: number
  readonly from_name: string
  readonly from_address: string
  readonly subject: string
  readonly received_at: Date
  readonly state: string
  readonly words: string | null
}

const deliveryColumns = `d.id, d.message_id, d.mailbox_id, d.from_name, d.from_address, d.subject, d.received_at, d.state, w.words`
const inSight: ReadonlySet<string> = new Set(['inbox', 'released'])

async function rateDeliveries(
  db: Database,
  asked: Understood,
  senders: readonly string[] | null,
  window: Window,
): Promise<readonly Rated[]> {
  const mailboxIds = asked.to === null ? null : [...asked.to.keys()]
  const rows = new Map<number, DeliveryRow>()
  const take = async (where: string, values: object, limit = mostMessages) => {
    const found = await select<DeliveryRow>(
      db,
      `SELECT ${deliveryColumns} FROM deliveries d LEFT JOIN message_words w ON w.message_id = d.message_id
       WHERE ${where} LIMIT ${limit}`,
      { ...window, ...values },
    )
    for (const row of found) rows.set(row.id, row)
  }
  // Side by side: each looks in its own way.
  const looks: Promise<void>[] = []
  if (senders !== null && senders.length > 0) {
    const newest = (extra: string) =>
      `d.message_id IN (SELECT id FROM (SELECT m.id FROM messages m ${extra} WHERE m.from_address IN (:senders)
         AND m.received_at BETWEEN :since AND :until ORDER BY m.id DESC LIMIT ${mostMessages}) x)`
    if (mailboxIds !== null && mailboxIds.length > 0)
      looks.push(
        take(
          `d.mailbox_id IN (:mailboxIds) AND ${newest('JOIN deliveries o ON o.message_id = m.id AND o.mailbox_id IN (:mailboxIds)')}`,
          { senders, mailboxIds },
        ),
      )
    looks.push(take(newest(''), { senders }))
  }
  const byWords = async () => {
    const found = asked.about.length === 0 ? [] : await messagesByWords(db, asked.about, 'in', window)
    if (found.length > 0) await take('d.message_id IN (:found)', { found }, 3 * mostMessages)
  }
  await Promise.all([...looks, byWords()])
  if (senders === null && asked.about.length === 0 && mailboxIds !== null && mailboxIds.length > 0)
    await take(
      'd.mailbox_id IN (:mailboxIds) AND d.received_at BETWEEN :since AND :until ORDER BY d.received_at DESC',
      { mailboxIds },
    )
  return [...rows.values()].flatMap(row =>
    rated(
      asked,
      { kind: 'delivery', id: row.id },
      {
        from: { name: row.from_name, address: row.from_address },
        subject: row.subject,
        text: row.words ?? '',
        mailboxId: row.mailbox_id,
        at: row.received_at.getTime(),
        outOfSight: !inSight.has(row.state),
      },
    ),
  )
}

function rated(asked: Asked, what: Pick<Rated, 'kind' | 'id'>, candidate: Candidate): readonly Rated[] {
  const rating = rate(asked, candidate)
  return rating ? [{ ...what, at: candidate.at, rating }] : []
}

/** What colleagues sent: "did my own mail go out?" */
async function rateOutbound(
  db: Database,
  asked: Understood,
  senders: readonly string[] | null,
  window: Window,
): Promise<readonly Rated[]> {
  if (!senders || senders.length === 0) return []
  const rows = await select<{
    id: number
    from_name: string
    from_address: string
    subject: string
    received_at: Date
    words: string | null
  }>(
    db,
    `SELECT m.id, m.from_name, m.from_address, m.subject, m.received_at, w.words FROM messages m LEFT JOIN message_words w ON w.message_id = m.id
     WHERE m.direction = 'out' AND m.from_address IN (:senders) AND m.received_at BETWEEN :since AND :until ORDER BY m.id DESC LIMIT 100`,
    { senders, ...window },
  )
  return rows.flatMap(row =>
    rated(
      { ...asked, to: null },
      { kind: 'outbound', id: row.id },
      {
        from: { name: row.from_name, address: row.from_address },
        subject: row.subject,
        text: row.words ?? '',
        mailboxId: null,
        at: row.received_at.getTime(),
        outOfSight: false,
      },
    ),
  )
}

/** What the door turned away. Such a message has no subject, and never got to anybody. */
async function rateRefusals(
  db: Database,
  asked: Understood,
  typedTo: string,
  { since, until }: Window,
): Promise<readonly Rated[]> {
  const rows = await select<{ id: number; at: Date; envelope_from: string; recipient: string }>(
    db,
    'SELECT id, at, envelope_from, recipient FROM refusals WHERE at BETWEEN :since AND :until ORDER BY at DESC LIMIT 2000',
    { since, until },
  )
  const to = readParty(typedTo)
  return rows.flatMap(row => {
    const likeness =
      to.kind === 'none' ? null : partyLikeness(to, { name: '', address: row.recipient }).likeness
    if (asked.from.kind === 'none' && (likeness ?? 0) < 0.6) return []
    return rated(
      { ...asked, about: [], to: likeness === null ? null : new Map([[0, likeness]]) },
      { kind: 'refused', id: row.id },
      {
        from: { name: '', address: row.envelope_from },
        subject: '',
        text: '',
        mailboxId: 0,
        at: row.at.getTime(),
        outOfSight: true,
      },
    )
  })
}

async function withJourneys(db: Database, found: readonly Rated[], now: Date): Promise<WhereHit[]> {
  const journeys = await journeysOf(
    db,
    found.filter(({ kind }) => kind === 'delivery').map(({ id }) => id),
    now,
  )
  const hits: WhereHit[] = []
  for (const { kind, id, rating } of found) {
    const hit =
      kind === 'delivery'
        ? journeys.get(id)
        : kind === 'outbound'
          ? await outboundHit(db, id)
          : await refusedHit(db, id)
    if (hit) hits.push({ ...hit, likeness: Math.round(rating.likeness * 1000) / 1000, label: rating.label })
  }
  return hits
}

/** The honest answer when nothing fits: when that domain last wrote to anybody here. */
async function nothingCame(db: Database, from: TypedParty, now: Date): Promise<WhereAnswer['nothing']> {
  const since = new Date(now.getTime() - keptDays * day)
  const typed = from.kind === 'address' || from.kind === 'domain' ? parseDomain(from.domain) : null
  const domain = typed?.ok ? typed.value : ''
  if (domain === '') return { domain: '', lastAt: null, since: since.toISOString(), similarDomains: [] }
  const key = domainKey(domain)
  const last = await findRow<{ at: Date | null }>(
    db,
    `SELECT MAX(m.received_at) AS at FROM (SELECT message_id FROM message_senders WHERE domain_key >= :key AND domain_key < :after
       AND place IN ('from', 'envelope') ORDER BY message_id DESC LIMIT 50) s JOIN messages m ON m.id = s.message_id`,
    { key, after: `${key.slice(0, -1)}/` },
  )
  const near = (await sendersLike(db, { kind: 'domain', domain }, domain)) ?? []
  const similarDomains = [...new Set(near.map(address => address.slice(address.lastIndexOf('@') + 1)))]
  return {
    domain,
    lastAt: last?.at ? last.at.toISOString() : null,
    since: since.toISOString(),
    similarDomains: similarDomains.filter(one => one !== domain).slice(0, 3),
  }
}
