import { beginningWith } from '../db/like.ts'
import type { DeliveryFacts, Limits } from '@pendro/core/judgement'
import type { RuleVerdict } from '@pendro/core/mail-rules'
import type { SeenOne } from '@pendro/core/mailboxes'
import type { SeenDeliveries } from '@pendro/core/rulings'
import { patternText, type SenderFacts, type SenderPattern } from '@pendro/core/senders'
import { findRow, select, type Database, type Row } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import type { Messages } from '../db/models/messages.ts'
import type { Deliveries } from '../db/models/deliveries.ts'
import { mailboxPolicy, mailboxRows, type MailboxRow, type Organisation } from '../db/organisation.ts'
import { domainKey } from './domain-key.ts'

/** Which deliveries are looked at again. */
export interface Looked {
  readonly since: Date
  /** `null`: everybody's. */
  readonly mailboxIds: readonly number[] | null
}

interface GroupRow
  extends
    Pick<RowOf<typeof Deliveries>, 'mailbox_id' | 'score'>,
    Pick<RowOf<typeof Messages>, 'bulk' | 'called'> {
  readonly profile_id: number
  readonly unreadable: number
  readonly harmful: number
  /** What mail rules said of holding and placing. */
  readonly rule_holds: RuleVerdict['hold']
  readonly rule_places: RuleVerdict['place']
  readonly n: number
}

/**
 * Deliveries that are equal before the judge, counted by the database: same sender profile, mailbox and
 * marks, and a score on the same side of each of the mailbox's limits. Deciding one decides them all.
 * `from` names messages as `m`.
 */
function grouped(
  organisation: Organisation,
  from: string,
  mailboxIds: Looked['mailboxIds'],
  where: string,
): { readonly sql: string; readonly values: Row } {
  const { at, values } = limitsSql(organisation)
  const sql = `SELECT m.profile_id, m.bulk, m.unreadable IS NOT NULL AS unreadable, m.harm IS NOT NULL AS harmful,
      IF(d.state = 'released', 'wanted', m.called) AS called, d.mailbox_id,
      d.rule_holds, d.rule_places, MIN(d.score) AS score, COUNT(*) AS n
    FROM ${from}
    JOIN deliveries d ON d.message_id = m.id ${mailboxIds === null ? '' : 'AND d.mailbox_id IN (:mailboxIds)'}
    JOIN mailboxes b ON b.id = d.mailbox_id
    WHERE ${where} AND m.received_at >= :since AND m.profile_id IS NOT NULL
    GROUP BY m.profile_id, d.mailbox_id, m.bulk, unreadable, harmful, called, d.rule_holds, d.rule_places,
      (d.score >= ${at.junk}) + (d.score >= ${at.quarantined}) + (d.score >= ${at.nearCertain})`
  return { sql, values }
}

const ownLimit = {
  junk: 'limit_junk',
  quarantined: 'limit_quarantined',
  nearCertain: 'limit_near_certain',
} as const

/** The limits of a mailbox `b` in SQL: its own, its department's, or the organisation's. */
function limitsSql({ limits, departments = {} }: Organisation): {
  readonly at: Readonly<Record<keyof Limits, string>>
  readonly values: Row
} {
  const own = Object.entries(departments).flatMap(([name, department]) =>
    department.limits ? [{ name, limits: department.limits }] : [],
  )
  const usual = (of: keyof Limits) =>
    own.length === 0
      ? `:${of}`
      : `CASE b.department ${own.map((_, i) => `WHEN :department${i} THEN :${of}${i}`).join(' ')} ELSE :${of} END`
  const at = (of: keyof Limits) => `COALESCE(b.${ownLimit[of]}, ${usual(of)})`
  return {
    at: { junk: at('junk'), quarantined: at('quarantined'), nearCertain: at('nearCertain') },
    values: Object.assign(
      { ...limits },
      ...own.map(({ name, limits: { junk, quarantined, nearCertain } }, i) => ({
        [`department${i}`]: name,
        [`junk${i}`]: junk,
        [`quarantined${i}`]: quarantined,
        [`nearCertain${i}`]: nearCertain,
      })),
    ) as Row,
  }
}

interface PackedRow extends Omit<GroupRow, 'mailbox_id' | 'score' | 'n' | 'rule_holds' | 'rule_places'> {
  /** 'mailbox:score' of each delivery, then two letters for what mail rules said, then r when it was released; parted by commas. */
  readonly deliveries: string
}

/** Deliveries under some patterns; a mailbox without entries of its own is like every other. */
export interface SeenGroups {
  readonly senders: readonly SenderFacts[]
  /** `own`: mailboxes whose lists have a say; their deliveries stay apart. */
  readonly expand: (own: ReadonlySet<number>) => readonly SeenDeliveries[]
}

const noGroups: SeenGroups = { senders: [], expand: () => [] }

/** Deliveries that one of the patterns could match, with all that deciding them again needs. */
export async function seenUnder(
  db: Database,
  organisation: Organisation,
  patterns: readonly SenderPattern[],
  { since, mailboxIds }: Looked,
): Promise<SeenGroups> {
  if (patterns.length === 0 || mailboxIds?.length === 0) return noGroups
  const { where, values } = senderCondition(patterns)
  // Packed into one text a group: ten thousand rows take longer to read than to find.
  const rows = await select<PackedRow>(
    db,
    `SET STATEMENT group_concat_max_len = 64000000 FOR
     SELECT m.profile_id, m.bulk, m.unreadable IS NOT NULL AS unreadable, m.harm IS NOT NULL AS harmful, m.called,
       GROUP_CONCAT(d.mailbox_id, ':', d.score, IF(d.rule_holds IS NULL AND d.rule_places IS NULL, '',
         CONCAT(COALESCE(LEFT(d.rule_holds, 1), '-'), COALESCE(LEFT(d.rule_places, 1), '-'))), IF(d.state = 'released', 'r', '')) AS deliveries
     FROM (SELECT DISTINCT s.message_id FROM message_senders s WHERE ${where}) c JOIN messages m ON m.id = c.message_id
     JOIN deliveries d ON d.message_id = m.id ${mailboxIds === null ? '' : 'AND d.mailbox_id IN (:mailboxIds)'}
     WHERE m.received_at >= :since AND m.profile_id IS NOT NULL
     GROUP BY m.profile_id, m.bulk, unreadable, harmful, m.called`,
    { ...values, since, mailboxIds },
  )
  const [profiles, policies] = await Promise.all([
    readProfiles(db, [...new Set(rows.map(row => row.profile_id))]),
    readPolicies(db, organisation),
  ])
  return {
    senders: [...profiles.values()],
    expand: own =>
      rows.flatMap(row => {
        const sender = profiles.get(row.profile_id)
        return sender ? unpack(row, sender, policies, own) : []
      }),
  }
}

type Policy = SeenDeliveries['mailbox']
/** What a mailbox goes by, under the organisation's limits or under others in their place. */
type PolicyOf = (mailboxId: number, limits?: Limits) => Policy

/** Mail is decided again as if it were held back: what an entry or a limit is worth shows there, watching or not. */
const holding = (row: MailboxRow, organisation: Organisation): Policy => ({
  ...mailboxPolicy(row, organisation),
  watching: false,
})

/** Only mailboxes that differ from the organisation's usual are read one by one. */
async function readPolicies(db: Database, organisation: Organisation): Promise<PolicyOf> {
  const departments = Object.entries(organisation.departments ?? {}).flatMap(([name, { limits }]) =>
    limits ? [name] : [],
  )
  const rows = await select<MailboxRow>(
    db,
    `SELECT id, department, limit_junk, limit_quarantined, limit_near_certain, uses_set_aside, filtering FROM mailboxes
     WHERE limit_junk IS NOT NULL OR limit_quarantined IS NOT NULL OR limit_near_certain IS NOT NULL OR uses_set_aside OR NOT filtering
       ${departments.length === 0 ? '' : 'OR department IN (:departments)'}`,
    { departments },
  )
  const special = new Map(rows.map(row => [row.id, row]))
  return (mailboxId, limits = organisation.limits) => {
    const row = special.get(mailboxId)
    return row
      ? holding(row, { ...organisation, limits })
      : { mailboxId, limits, usesSetAside: false, filtering: true, watching: false }
  }
}

/** Scores are named by their band, so that one policy speaks for mailboxes with different limits. */
const bandLimits = { junk: 1, quarantined: 2, nearCertain: 3 }

function bandOf(score: number, { junk, quarantined, nearCertain }: Policy['limits']): number {
  return Number(score >= junk) + Number(score >= quarantined) + Number(score >= nearCertain)
}

function unpack(
  row: PackedRow,
  sender: SenderFacts,
  policyOf: PolicyOf,
  own: ReadonlySet<number>,
): readonly SeenDeliveries[] {
  const groups = new Map<string, SeenDeliveries & { readonly mailboxIds: number[] }>()
  for (const part of row.deliveries.split(',')) {
    const released = part.endsWith('r')
    const colon = part.indexOf(':')
    const mailboxId = Number(part.slice(0, colon))
    const policy = policyOf(mailboxId)
    const band = bandOf(Number.parseFloat(part.slice(colon + 1)), policy.limits)
    const letters = /[a-z-]{2}$/.exec(released ? part.slice(0, -1) : part)?.[0] ?? ''
    const said = {
      rule_holds: holdLetters[letters[0] ?? ''] ?? null,
      rule_places: placeLetters[letters[1] ?? ''] ?? null,
    }
    const { usesSetAside, filtering } = policy
    const key = `${own.has(mailboxId) ? mailboxId : ''} ${band} ${released} ${usesSetAside} ${filtering} ${letters}`
    const known = groups.get(key)
    if (known) known.mailboxIds.push(mailboxId)
    else
      groups.set(key, {
        facts: factsOf({ ...row, ...said }, sender, band),
        mailbox: { mailboxId, limits: bandLimits, usesSetAside, filtering },
        mailboxIds: [mailboxId],
        count: 0,
        calledByPerson: released ? 'wanted' : row.called,
      })
  }
  return [...groups.values()].map(group => ({ ...group, count: group.mailboxIds.length }))
}

const holdLetters: Readonly<Record<string, RuleVerdict['hold']>> = { l: 'let-in', j: 'junk', d: 'discarded' }
const placeLetters: Readonly<Record<string, RuleVerdict['place']>> = { i: 'inbox', m: 'moved', a: 'aside' }

const noRules: readonly RuleVerdict[] = []

/** Which rules they were does not matter to where the delivery goes: one that says both stands for them. */
const someRule = (hold: RuleVerdict['hold'], place: RuleVerdict['place']): readonly RuleVerdict[] =>
  hold === null && place === null
    ? noRules
    : [{ id: 0, name: '', owner: 'mailbox', hold, place, folder: '', important: false, stop: false }]

/** What the judge needs, from columns. */
export function factsOf(
  {
    harmful,
    bulk,
    unreadable,
    rule_holds,
    rule_places,
  }: Pick<GroupRow, 'harmful' | 'bulk' | 'unreadable' | 'rule_holds' | 'rule_places'>,
  sender: SenderFacts,
  score: number,
): DeliveryFacts {
  return {
    sender,
    harm: harmful === 1 ? sealedBy : null,
    score,
    bulk: bulk === 1,
    unreadable: unreadable === 1,
    rules: someRule(rule_holds, rule_places),
  }
}

async function readProfiles(db: Database, ids: readonly number[]): Promise<ReadonlyMap<number, SenderFacts>> {
  const profiles = new Map<number, SenderFacts>()
  for (let i = 0; i < ids.length; i += 2000) {
    const found = await select<{ id: number; facts: SenderFacts }>(
      db,
      'SELECT id, facts FROM sender_profiles WHERE id IN (:ids)',
      { ids: ids.slice(i, i + 2000) },
    )
    for (const { id, facts } of found) profiles.set(id, facts)
  }
  return profiles
}

/** So many of one mailbox: more than anybody gets in a month. */
const mostOfOne = 20_000

/** Whether a score lies between a limit and another one for the same: only these can go another way. */
const isBetween = (['junk', 'quarantined', 'nearCertain'] as const)
  .map(name => `(d.score >= :was_${name}) <> (d.score >= :is_${name})`)
  .join(' OR ')

const named = (prefix: string, limits: Limits) =>
  Object.fromEntries(Object.entries(limits).map(([name, at]) => [`${prefix}_${name}`, at]))

/**
 * What one mailbox got, each delivery for itself, newest first; where limits are moved only what lies between the old and the
 * new ones. `looked`: how many there are of all.
 */
export async function seenOf(
  db: Database,
  organisation: Organisation,
  mailbox: MailboxRow,
  { since, moved }: { readonly since: Date; readonly moved: Limits | null },
): Promise<{ readonly seen: readonly SeenOne[]; readonly looked: number }> {
  const rows = await select<Omit<GroupRow, 'mailbox_id' | 'n'> & { readonly id: number }>(
    db,
    `SELECT d.id, m.profile_id, m.bulk, m.unreadable IS NOT NULL AS unreadable, m.harm IS NOT NULL AS harmful,
       IF(d.state = 'released', 'wanted', m.called) AS called, d.rule_holds, d.rule_places, d.score
     FROM deliveries d JOIN messages m ON m.id = d.message_id
     WHERE d.mailbox_id = :id AND d.received_at >= :since AND m.profile_id IS NOT NULL ${moved ? `AND (${isBetween})` : ''}
     ORDER BY d.received_at DESC LIMIT :mostOfOne`,
    {
      id: mailbox.id,
      since,
      mostOfOne,
      ...named('was', mailboxPolicy(mailbox, organisation).limits),
      ...(moved && named('is', moved)),
    },
  )
  const all = await findRow<{ n: number }>(
    db,
    'SELECT COUNT(*) AS n FROM deliveries WHERE mailbox_id = :id AND received_at >= :since',
    { id: mailbox.id, since },
  )
  const profiles = await readProfiles(db, [...new Set(rows.map(row => row.profile_id))])
  const policy = holding(mailbox, organisation)
  const seen = rows.flatMap((row): SeenOne[] => {
    const sender = profiles.get(row.profile_id)
    if (!sender) return []
    const facts = factsOf(row, sender, row.score)
    return [{ deliveryId: row.id, facts, mailbox: policy, count: 1, calledByPerson: row.called }]
  })
  return { seen, looked: all?.n ?? 0 }
}

interface Newest extends Looked {
  readonly limit: number
  /** Only what lies between two positions of the limits. */
  readonly between?: { readonly was: Limits; readonly is: Limits }
  /** Only what came before this one; nothing is counted then. */
  readonly before?: number | null
  /** No more than so many of the newest in all; without it every one there is. */
  readonly atMost?: number
}

/** `of`: how many there are; `fit`: how many of them lie between. `next`: where to go on, `null` at the end. */
interface NewestSeen {
  readonly seen: readonly (SeenOne & { readonly messageId: number })[]
  readonly of: number
  readonly fit: number
  readonly next: number | null
  readonly policyOf: PolicyOf
}

/** The newest deliveries of some mailboxes, or with `null` of all, each for itself, with their messages; by their numbers, a part at a time. */
export async function newestSeen(
  db: Database,
  organisation: Organisation,
  { since, mailboxIds, limit, between, before = null, atMost }: Newest,
): Promise<NewestSeen> {
  const anybodys = mailboxIds === null ? 'TRUE' : 'd.mailbox_id IN (:mailboxIds)'
  const oldest =
    atMost === undefined
      ? null
      : await findRow<{ id: number }>(
          db,
          `SELECT d.id FROM deliveries d WHERE ${anybodys} ORDER BY d.id DESC LIMIT 1 OFFSET :atMost`,
          { mailboxIds, atMost },
        )
  const whose = oldest === null ? anybodys : `(${anybodys} AND d.id > :oldest)`
  const fits = between ? `(${isBetween})` : 'TRUE'
  const given = {
    since,
    mailboxIds,
    limit,
    before,
    oldest: oldest?.id ?? null,
    ...(between && { ...named('was', between.was), ...named('is', between.is) }),
  }
  const roughly = mailboxIds === null && atMost === undefined ? { since, between } : null
  const [rows, all, policyOf] = await Promise.all([
    select<Omit<GroupRow, 'n'> & { readonly id: number; readonly message_id: number }>(
      db,
      `SELECT d.id, d.message_id, d.mailbox_id, m.profile_id, m.bulk, m.unreadable IS NOT NULL AS unreadable,
         m.harm IS NOT NULL AS harmful, IF(d.state = 'released', 'wanted', m.called) AS called, d.rule_holds, d.rule_places, d.score
       FROM deliveries d JOIN messages m ON m.id = d.message_id
       WHERE ${whose} AND d.received_at >= :since AND m.profile_id IS NOT NULL AND ${fits}
         ${before === null ? '' : 'AND d.id < :before'} ORDER BY d.id DESC LIMIT :limit`,
      given,
    ),
    before === null ? countSeen(db, { whose, fits, given }, roughly) : null,
    readPolicies(db, organisation),
  ])
  const profiles = await readProfiles(db, [...new Set(rows.map(row => row.profile_id))])
  const seen = rows.flatMap(row => {
    const sender = profiles.get(row.profile_id)
    if (!sender) return []
    const facts = factsOf(row, sender, Number(row.score))
    const mailbox = policyOf(row.mailbox_id)
    return [
      { deliveryId: row.id, messageId: row.message_id, facts, mailbox, count: 1, calledByPerson: row.called },
    ]
  })
  const last = rows.length === limit ? rows.at(-1) : undefined
  return { seen, of: all?.n ?? 0, fit: Number(all?.fit ?? 0), next: last?.id ?? null, policyOf }
}

/** More than this are not counted one by one: nobody waits for the last digit of half a million. */
const mostCounted = 50_000

interface Count {
  readonly n: number
  readonly fit: number | null
}

/** How many there are, and how many fit: of much mail by the counts that triggers keep, by whole days and two scores at a time. */
async function countSeen(
  db: Database,
  { whose, fits, given }: { readonly whose: string; readonly fits: string; readonly given: Row },
  roughly: Pick<Newest, 'since' | 'between'> | null,
): Promise<Count | null> {
  if (roughly) {
    const bins = roughly.between ? binsBetween(roughly.between) : null
    const counted = await findRow<{ n: string | null; fit: string | null }>(
      db,
      `SELECT SUM(n) AS n, SUM(IF(${bins === null ? 'TRUE' : 'bin IN (:bins)'}, n, 0)) AS fit FROM review_counts WHERE received_day >= DATE(:since)`,
      { since: roughly.since, bins: bins ?? [] },
    )
    const n = Number(counted?.n ?? 0)
    if (n > mostCounted) return { n, fit: Number(counted?.fit ?? 0) }
  }
  return findRow<Count>(
    db,
    `SELECT COUNT(*) AS n, SUM(${fits}) AS fit FROM deliveries d WHERE ${whose} AND d.received_at >= :since`,
    given,
  )
}

/** Pairs of scores, as review_counts has them, with one between two positions of a limit; [-1] where there is none. */
function binsBetween({ was, is }: NonNullable<Newest['between']>): readonly number[] {
  const bins = Array.from({ length: 50 }, (_, bin) => bin).filter(bin =>
    (['junk', 'quarantined', 'nearCertain'] as const).some(name => {
      const [low, high] = [Math.min(was[name], is[name]), Math.max(was[name], is[name])]
      return bin * 2 + 1 >= low && bin * 2 < high
    }),
  )
  return bins.length === 0 ? [-1] : bins
}

/** Messages read in one step of `allSeen`: enough to be worth a query, few enough to hold up nobody. */
const step = 20_000

/** Everything that was seen, a stretch of messages at a time, with the share of it that has been read. */
export async function* allSeen(
  db: Database,
  organisation: Organisation,
  { since, mailboxIds }: Looked,
): AsyncGenerator<{ readonly seen: readonly SeenDeliveries[]; readonly share: number }> {
  const ends = await findRow<{ first: number | null; last: number | null }>(
    db,
    'SELECT MIN(id) AS first, MAX(id) AS last FROM messages WHERE received_at >= :since AND profile_id IS NOT NULL',
    { since },
  )
  if (!ends?.first || !ends.last) return
  const read = createReader(db, organisation)
  for (let start = ends.first; start <= ends.last; start += step) {
    const { sql, values } = grouped(organisation, 'messages m', mailboxIds, 'm.id >= :start AND m.id < :end')
    const rows = await select<GroupRow>(db, sql, { ...values, since, mailboxIds, start, end: start + step })
    const share = Math.min(1, (start + step - ends.first) / (ends.last - ends.first + 1))
    yield { seen: await read(rows), share }
  }
}

const sealedBy: DeliveryFacts['harm'] = { name: '', danger: 'executable' }

/** Gives groups their sender and mailbox; what was read once is remembered for the next rows. */
function createReader(db: Database, organisation: Organisation) {
  const profiles = new Map<number, SenderFacts>()
  const mailboxes = new Map<number, SeenDeliveries['mailbox']>()
  return async (rows: readonly GroupRow[]): Promise<readonly SeenDeliveries[]> => {
    const newMailboxes = missing(
      mailboxes,
      rows.map(row => row.mailbox_id),
    )
    for (const [id, row] of await mailboxRows(db, newMailboxes)) mailboxes.set(id, holding(row, organisation))
    const newProfiles = missing(
      profiles,
      rows.map(row => row.profile_id),
    )
    for (const [id, facts] of await readProfiles(db, newProfiles)) profiles.set(id, facts)
    return rows.flatMap((row): SeenDeliveries[] => {
      const [sender, mailbox] = [profiles.get(row.profile_id), mailboxes.get(row.mailbox_id)]
      return sender && mailbox ? [toSeen(row, sender, mailbox)] : []
    })
  }
}

function missing(known: ReadonlyMap<number, unknown>, ids: readonly number[]): readonly number[] {
  return [...new Set(ids)].filter(id => !known.has(id))
}

function toSeen(row: GroupRow, sender: SenderFacts, mailbox: Policy): SeenDeliveries {
  return {
    facts: factsOf(row, sender, Number(row.score)),
    mailbox,
    count: Number(row.n),
    calledByPerson: row.called,
  }
}

/** Rows of message_senders that a pattern could match; never fewer than core's matching accepts. */
export function senderCondition(patterns: readonly SenderPattern[]): { where: string; values: Row } {
  const values: Row = {}
  const parts = patterns.map((pattern, i) => {
    switch (pattern.kind) {
      case 'address':
        values[`p${i}`] = patternText({ kind: 'address', address: { ...pattern.address, tag: null } })
        return `s.address = :p${i}`
      case 'domain':
        values[`p${i}`] = domainKey(pattern.domain)
        return `s.domain_key = :p${i}`
      case 'subtree':
        values[`p${i}`] = beginningWith(domainKey(pattern.domain))
        return `s.domain_key LIKE :p${i}`
      case 'list':
        values[`p${i}`] = patternText(pattern)
        return `s.address = :p${i}`
    }
  })
  return { where: [...new Set(parts)].join(' OR ') || 'FALSE', values }
}
