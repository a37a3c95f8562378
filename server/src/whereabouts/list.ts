import { cursorText, readTimeCursor } from '../db/cursor.ts'
import { containing } from '../db/like.ts'
import type { z } from 'zod'
import { deliveryState, type ListedMail, type listMail } from '@pendro/contract'
import { addressText, parseAddress, parseDomain } from '@pendro/core/address'
import { daysBefore, startOfDay } from '@pendro/core/calendar'
import { arrivedStates, keptBackStates } from '@pendro/core/delivery'
import { select, type Database } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import type { Messages } from '../db/models/messages.ts'
import { within, type Scope } from '../db/scope.ts'
import { isFew } from '../db/few.ts'
import { readOrganisation } from '../db/organisation.ts'
import { hashMessageId } from '../judging/knowledge.ts'
import { domainKey } from '../lists/domain-key.ts'

type Asked = z.output<typeof listMail.query>

interface ListRow extends Pick<RowOf<typeof Messages>, 'subject' | 'from_name' | 'from_address' | 'size'> {
  readonly id: number
  readonly at: Date
  readonly state: ListedMail['state']
  readonly sent_to: string
  readonly score: number | null
}

/**
 * Mail that fits exact filters, newest first. A filter that leaves little is read by its own key; else each
 * state is read in order of time and the pages are merged here. No combination reads the whole table.
 */
export async function listMailOf(
  db: Database,
  scope: Scope,
  asked: Asked,
): Promise<{ rows: ListedMail[]; next: string | null }> {
  const { timeZone } = await readOrganisation(db)
  const from = readTimeCursor(asked.after)
  const values = {
    mailbox: asked.mailbox,
    since: asked.since === undefined ? null : new Date(startOfDay(asked.since, timeZone)),
    until: asked.until === undefined ? null : new Date(startOfDay(daysBefore(asked.until, -1), timeZone)),
    scoreFrom: asked.scoreFrom,
    scoreTo: asked.scoreTo,
    sizeFrom: asked.sizeFrom * 1000,
    sizeTo: asked.sizeTo === undefined ? null : asked.sizeTo * 1000,
    hash: hashMessageId(asked.messageId),
    time: from?.time,
    last: from?.id,
    limit: asked.limit + 1,
    ...senderValues(asked.from),
    to: containing(asked.to),
    subject: containing(asked.subject),
    ...Object.fromEntries(withoutParts(asked.without).map((part, i) => [`without${i}`, part])),
  }
  const found =
    asked.direction === 'out'
      ? await outbound(db, scope, asked, values, from !== null)
      : await deliveries(db, scope, asked, values, from !== null)
  const rows = found.slice(0, asked.limit)
  const end = found.length > asked.limit ? rows.at(-1) : undefined
  return {
    rows: rows.map(row => ({
      id: row.id,
      kind: asked.direction === 'out' ? ('outbound' as const) : ('delivery' as const),
      at: row.at.toISOString(),
      state: row.state,
      subject: row.subject,
      fromName: row.from_name,
      fromAddress: row.from_address,
      to: row.sent_to,
      score: row.score,
      size: row.size,
    })),
    next: end ? cursorText(end.at, end.id) : null,
  }
}

const withoutParts = (without: string) =>
  without
    .split(/\s+/)
    .filter(part => part !== '')
    .slice(0, 20)
    .map(part => containing(part))

interface Values {
  readonly since: Date | null
  readonly until: Date | null
  readonly sizeTo: number | null
  readonly sizeFrom: number
  readonly limit: number
}

/** Conditions on time, cursor, size and Message-ID; `t` has the time, `m` is the message. */
function conditions(
  t: 'd' | 'm',
  { messageId, without, from, subject }: Asked,
  values: Values,
  paged: boolean,
): string {
  return [
    ...(values.since ? [`${t}.received_at >= :since`] : []),
    ...(values.until ? [`${t}.received_at < :until`] : []),
    ...(paged ? [`${t}.received_at <= :time AND (${t}.received_at < :time OR ${t}.id < :last)`] : []),
    ...(values.sizeFrom > 0 ? ['m.size >= :sizeFrom'] : []),
    ...(values.sizeTo === null ? [] : ['m.size <= :sizeTo']),
    ...(messageId === '' ? [] : ['m.message_id_hash = :hash']),
    ...senderIs(t, from),
    ...(subject === '' ? [] : [`${t}.subject LIKE :subject`]),
    ...withoutParts(without).map((_, i) => `${t}.from_address NOT LIKE :without${i}`),
  ]
    .map(part => ` AND ${part}`)
    .join('')
}

/** A whole address or a domain is meant as it stands; anything else is part of an address or name. */
function senderValues(from: string): { from: string; exactly: string; domain: string } {
  const address = parseAddress(from)
  const domain = parseDomain(from.replace(/^@/, ''))
  return {
    from: containing(from),
    exactly: address.ok ? addressText(address.value) : '',
    domain: !address.ok && domain.ok && from.includes('.') ? domainKey(domain.value) : '',
  }
}

function senderIs(t: 'd' | 'm', from: string): readonly string[] {
  if (from === '') return []
  const { exactly, domain } = senderValues(from)
  const isUnder = (column: string, value: string) =>
    `EXISTS (SELECT 1 FROM message_senders s WHERE s.message_id = ${t === 'd' ? 'd.message_id' : 'm.id'} AND s.place = 'from' AND s.${column} ${value})`
  if (t === 'd' && exactly !== '') return [isUnder('address', '= :exactly')]
  if (t === 'd' && domain !== '') return [isUnder('domain_key', "LIKE CONCAT(:domain, '%')")]
  return [`(${t}.from_address LIKE :from OR ${t}.from_name LIKE :from)`]
}

/** What people said against what was done: kept back and wanted, or got through and junk. */
const misjudged = `((m.called = 'wanted' AND (d.state IN (:keptBack) OR d.came_from IN ('junk', 'quarantined')))
  OR (m.called = 'junk' AND (d.state IN (:arrived) OR (d.state = 'discarded' AND (d.came_from IS NULL OR d.came_from IN ('aside', 'moved'))))))`

/** Mailboxes that have an address with this in it; a delivery is of one of them, and was sent to such an address. */
const sentTo = `d.mailbox_id IN (SELECT a.mailbox_id FROM mailbox_addresses a WHERE a.address LIKE :to)
  AND IF(d.address_used = '', b.address, d.address_used) LIKE :to`

const names = 'JOIN mailboxes b ON b.id = d.mailbox_id'
const newest = 'ORDER BY d.received_at DESC, d.id DESC LIMIT :limit'

async function deliveries(
  db: Database,
  scope: Scope,
  asked: Asked,
  values: Values & object,
  paged: boolean,
): Promise<readonly ListRow[]> {
  const fits = `d.score BETWEEN :scoreFrom AND :scoreTo${asked.mailbox === undefined ? '' : ' AND d.mailbox_id = :mailbox'} AND ${within(scope, 'd.mailbox_id')}${conditions('d', asked, values, paged)}${asked.to === '' ? '' : ` AND ${sentTo}`}`
  const narrow = await narrowTables(db, asked, values)
  const state =
    asked.state === undefined
      ? ''
      : asked.state === 'misjudged'
        ? ` AND ${misjudged}`
        : ` AND d.state = '${asked.state}'`
  const tables =
    narrow === null
      ? `(${byTime(asked, values, fits)}) x STRAIGHT_JOIN deliveries d ON d.id = x.id JOIN messages m ON m.id = d.message_id ${names} WHERE TRUE`
      : `${narrow} WHERE ${fits}${state}`
  return select<ListRow>(
    db,
    `SELECT d.id, d.received_at AS at, d.state, d.subject, d.from_name, d.from_address, b.name AS sent_to, d.score, m.size
     FROM ${tables} ${newest}`,
    { ...values, keptBack: keptBackStates, arrived: arrivedStates },
  )
}

/** The newest of each state along its own key; the messages are looked at only where a condition is about them. */
function byTime(asked: Asked, { sizeFrom, sizeTo }: Values, fits: string): string {
  const index = asked.mailbox === undefined ? 'k_state_received' : 'k_mailbox_received'
  const joins = [
    ...(sizeFrom > 0 || sizeTo !== null ? ['JOIN messages m ON m.id = d.message_id'] : []),
    ...(asked.to === '' ? [] : [names]),
  ].join(' ')
  const states =
    asked.state === undefined || asked.state === 'misjudged' ? deliveryState.options : [asked.state]
  return states
    .map(
      state =>
        `(SELECT d.id FROM deliveries d FORCE INDEX (${index}) ${joins} WHERE d.state = '${state}' AND ${fits} ${newest})`,
    )
    .join(' UNION ALL ')
}

/** The tables in the order a narrow filter reads them; `null` when none is. A mailbox is narrow by time already. */
async function narrowTables(db: Database, asked: Asked, values: Values & object): Promise<string | null> {
  if (asked.messageId !== '') return `messages m JOIN deliveries d ON d.message_id = m.id ${names}`
  if (asked.state === 'misjudged')
    return `(SELECT id, called, size FROM messages FORCE INDEX (k_called) WHERE called IN ('wanted', 'junk')) m STRAIGHT_JOIN deliveries d ON d.message_id = m.id ${names}`
  if (asked.mailbox !== undefined) return null
  const { exactly, domain } = senderValues(asked.from)
  const sender =
    exactly !== '' ? 's.address = :exactly' : domain !== '' ? "s.domain_key LIKE CONCAT(:domain, '%')" : null
  if (
    sender !== null &&
    (await isFew(db, `message_senders s WHERE s.place = 'from' AND ${sender}`, { ...values }))
  )
    return `(SELECT DISTINCT s.message_id FROM message_senders s WHERE s.place = 'from' AND ${sender}) x STRAIGHT_JOIN messages m ON m.id = x.message_id JOIN deliveries d ON d.message_id = m.id ${names}`
  if (values.sizeFrom > 0 || values.sizeTo !== null) {
    const size = `m.direction = 'in' AND m.size >= :sizeFrom${values.sizeTo === null ? '' : ' AND m.size <= :sizeTo'}`
    const sized = `messages m FORCE INDEX (k_size)`
    if (await isFew(db, `${sized} WHERE ${size}`, { ...values }))
      return `(SELECT id, size FROM ${sized} WHERE ${size}) m STRAIGHT_JOIN deliveries d ON d.message_id = m.id ${names}`
  }
  const scored = 'deliveries d FORCE INDEX (k_score)'
  const isScored = asked.scoreFrom > 0 || asked.scoreTo < 100
  if (isScored && (await isFew(db, `${scored} WHERE d.score BETWEEN :scoreFrom AND :scoreTo`, { ...values })))
    return `${scored} JOIN messages m ON m.id = d.message_id ${names}`
  return null
}

/** What colleagues sent; it has no state and no score, and its sender is the colleague. */
function outbound(
  db: Database,
  scope: Scope,
  asked: Asked,
  values: Values & object,
  paged: boolean,
): Promise<readonly ListRow[]> {
  const whose =
    asked.mailbox === undefined && scope === null
      ? ''
      : ` AND m.from_address IN (SELECT address FROM mailbox_addresses WHERE ${asked.mailbox === undefined ? within(scope, 'mailbox_id') : 'mailbox_id = :mailbox'})`
  return select<ListRow>(
    db,
    `SELECT m.id, m.received_at AS at, NULL AS state, m.subject, m.from_name, m.from_address, m.sent_to, NULL AS score, m.size
     FROM messages m WHERE m.direction = 'out'${whose}${asked.to === '' ? '' : ' AND m.sent_to LIKE :to'}${conditions('m', asked, values, paged)}
     ORDER BY m.received_at DESC, m.id DESC LIMIT :limit`,
    { ...values },
  )
}
