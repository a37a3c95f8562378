import { containing } from '../db/like.ts'
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
import type { RowOf } from '../db/models/columns.ts'
import { MailboxAddresses, type Mailboxes } from '../db/models/organisation.ts'
import { readOrganisation, type Organisation } from '../db/organisation.ts'
import { exists } from '../db/rows.ts'
import { within, type Scope } from '../db/scope.ts'
import { domainKey } from '../lists/domain-key.ts'
import { findMessages, type FoundMessage } from './candidates.ts'
import { journeysOf, outboundHit, refusedHit } from './journeys.ts'
import { countLookedAt } from './looked-at.ts'
import { refusedTo } from './refusals.ts'
import { sendersLike, type Window } from './search.ts'

const day = 86_400_000
/** Common practice: mail is kept 93 days at most. */
const keptDays = 93
const mostHits = 12

/** Beside a time that was named, so much is looked at too: people remember roughly. */
const slack = 21 * day

/** Where is the message from …, to …, about …, sent around …? */
export async function lookFor(
  db: Database,
  scope: Scope,
  question: WhereQuestion,
  now: Date,
): Promise<WhereAnswer> {
  const organisation = await readOrganisation(db)
  const [asked, senders] = await Promise.all([
    understand(db, scope, question, { organisation, now }),
    sendersLike(db, scope, readParty(question.from), question.from),
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
    deliveries: await countLookedAt(db, scope, window, now),
    since: since.toISOString(),
    until: until.toISOString(),
  })
  if (asked.problem !== '')
    return { lookedAt: await counted(), understood, problem: asked.problem, hits: [], nothing: null }
  const [lookedAt, ...places] = await Promise.all([
    counted(),
    findMessages(db, scope, asked, senders, window).then(messages => rateMessages(asked, messages)),
    rateRefusals(db, scope, asked, { typedTo: question.to, window }),
  ])
  const rated = places.flat().sort((a, b) => b.rating.likeness - a.rating.likeness || b.at - a.at)
  const hits = await withJourneys(db, rated.slice(0, mostHits), organisation, now)
  return {
    lookedAt,
    understood,
    problem: '',
    hits,
    nothing: hits.length === 0 ? await nothingCame(db, scope, asked.from, now) : null,
  }
}

interface Understood extends Asked {
  readonly mailboxes: readonly { readonly id: number; readonly name: string }[]
  readonly unknownAddress: string
  readonly problem: WhereAnswer['problem']
}

async function understand(
  db: Database,
  scope: Scope,
  typed: WhereQuestion,
  { organisation, now }: { readonly organisation: Organisation; readonly now: Date },
): Promise<Understood> {
  const from = readParty(typed.from)
  const about = isIdle(typed.about) ? [] : wordsOf(typed.about.slice(0, 1000)).slice(0, 12)
  const when = readWhen(typed.when, { now: now.getTime(), timeZone: organisation.timeZone })
  const to = await findMailboxes(db, scope, typed.to, organisation)
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
async function findMailboxes(
  db: Database,
  scope: Scope,
  text: string,
  { policy }: Organisation,
): Promise<Addressees> {
  const typed = readParty(text)
  if (typed.kind === 'none') return { likeness: null, mailboxes: [], unknownAddress: '' }
  const rows = await mailboxesLike(db, scope, typed, text.trim())
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
    unknownAddress: isOurs && top < 1 && !(await isSomebodys(db, text.trim())) ? text.trim() : '',
  }
}

/** Somebody of another department has it: it is not unknown, and no more is said of it. */
const isSomebodys = (db: Database, text: string) =>
  exists(db, MailboxAddresses, { address: text.toLowerCase() })

type AddressRow = Pick<RowOf<typeof Mailboxes>, 'id' | 'name' | 'address'>

/** Those with that very name or address; else those with every typed word in their name; else all of them. */
async function mailboxesLike(
  db: Database,
  scope: Scope,
  typed: TypedParty,
  text: string,
): Promise<readonly AddressRow[]> {
  const words = typed.kind === 'words' ? typed.words : []
  const byWords = words.map((_, i) => `name LIKE :word${i}`).join(' AND ')
  const chosen = [
    'SELECT id FROM mailboxes WHERE name = :text UNION SELECT mailbox_id FROM mailbox_addresses WHERE address = LOWER(:text)',
    ...(words.length === 0 ? [] : [`SELECT id FROM mailboxes WHERE ${byWords}`]),
    'SELECT id FROM mailboxes',
  ]
  for (const ids of chosen) {
    const rows = await select<AddressRow>(
      db,
      `SELECT b.id, b.name, a.address FROM (${ids}) x JOIN mailboxes b ON b.id = x.id JOIN mailbox_addresses a ON a.mailbox_id = b.id
       WHERE ${within(scope, 'b.id')}`,
      {
        text,
        ...Object.fromEntries(words.map((word, i) => [`word${i}`, containing(word)])),
      },
    )
    if (rows.length > 0) return rows
  }
  return []
}

interface Rated {
  readonly kind: WhereHit['kind']
  readonly id: number
  readonly at: number
  readonly rating: Rating
}

const inSight: ReadonlySet<string> = new Set(['inbox', 'released'])

function rateMessages(asked: Understood, messages: readonly FoundMessage[]): readonly Rated[] {
  const isNamedByAddress = asked.from.kind === 'address' || asked.from.kind === 'domain'
  return messages.flatMap(row => {
    const { delivery_id: id, message_id: messageId, mailbox_id: mailboxId } = row
    const candidate: Candidate = {
      from: { name: row.from_name, address: row.from_address },
      subject: row.subject,
      text: row.words ?? '',
      mailboxId,
      at: row.received_at.getTime(),
      outOfSight: row.state !== null && !inSight.has(row.state),
    }
    const what =
      id === null ? ({ kind: 'outbound', id: messageId } as const) : ({ kind: 'delivery', id } as const)
    const parties = [
      candidate.from,
      ...(isNamedByAddress && row.envelope_from.toLowerCase() !== row.from_address.toLowerCase()
        ? [{ name: '', address: row.envelope_from }]
        : []),
    ]
    const ratings = parties.flatMap(from =>
      rated(id === null ? { ...asked, to: null } : asked, what, { ...candidate, from }),
    )
    return ratings.sort((a, b) => b.rating.likeness - a.rating.likeness).slice(0, 1)
  })
}

function rated(asked: Asked, what: Pick<Rated, 'kind' | 'id'>, candidate: Candidate): readonly Rated[] {
  const rating = rate(asked, candidate)
  return rating ? [{ ...what, at: candidate.at, rating }] : []
}

/** What the door turned away. Such a message has no subject, and never got to anybody. */
async function rateRefusals(
  db: Database,
  scope: Scope,
  asked: Understood,
  { typedTo, window: { since, until } }: { readonly typedTo: string; readonly window: Window },
): Promise<readonly Rated[]> {
  const rows = await select<{ id: number; at: Date; envelope_from: string; recipient: string }>(
    db,
    `SELECT id, at, envelope_from, recipient FROM refusals WHERE at BETWEEN :since AND :until AND ${refusedTo(scope)} ORDER BY at DESC LIMIT 2000`,
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

async function withJourneys(
  db: Database,
  found: readonly Rated[],
  organisation: Organisation,
  now: Date,
): Promise<WhereHit[]> {
  const journeys = await journeysOf(
    db,
    found.filter(({ kind }) => kind === 'delivery').map(({ id }) => id),
    now,
    organisation,
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
async function nothingCame(
  db: Database,
  scope: Scope,
  from: TypedParty,
  now: Date,
): Promise<WhereAnswer['nothing']> {
  const since = new Date(now.getTime() - keptDays * day)
  const typed = from.kind === 'address' || from.kind === 'domain' ? parseDomain(from.domain) : null
  const domain = typed?.ok ? typed.value : ''
  if (domain === '') return { domain: '', lastAt: null, since: since.toISOString(), similarDomains: [] }
  const key = domainKey(domain)
  const toThem =
    scope === null
      ? 'TRUE'
      : `message_id IN (SELECT d.message_id FROM deliveries d WHERE ${within(scope, 'd.mailbox_id')})`
  const last = await findRow<{ at: Date | null }>(
    db,
    `SELECT MAX(m.received_at) AS at FROM (SELECT message_id FROM message_senders WHERE domain_key >= :key AND domain_key < :after
       AND place IN ('from', 'envelope') AND ${toThem} ORDER BY message_id DESC LIMIT 50) s JOIN messages m ON m.id = s.message_id`,
    { key, after: `${key.slice(0, -1)}/` },
  )
  const near = (await sendersLike(db, scope, { kind: 'domain', domain }, domain)) ?? []
  const similarDomains = [...new Set(near.map(address => address.slice(address.lastIndexOf('@') + 1)))]
  return {
    domain,
    lastAt: last?.at ? last.at.toISOString() : null,
    since: since.toISOString(),
    similarDomains: similarDomains.filter(one => one !== domain).slice(0, 3),
  }
}
