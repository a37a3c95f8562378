import { gunzipSync } from 'node:zlib'
import type { RuleFindingShape, RulesChange, RulesEffect, RulesWork } from '@pendro/contract'
import {
  rulesWork,
  verdictOf,
  type MailRule,
  type RuleFinding,
  type RuleVerdict,
} from '@pendro/core/mail-rules'
import { rulesReach, type SeenByRules } from '@pendro/core/mailboxes'
import { candidateTexts } from '@pendro/core/senders'
import { select, type Database } from '../db/database.ts'
import { findMailboxRow, readOrganisation, type Organisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { ruleOf, rulesOf } from '../judging/mail-rules.ts'
import { entriesFor } from '../lists/entries.ts'
import { newestSeen } from '../lists/seen.ts'
import { readHere, type Reader } from '../reading/reader.ts'
import { keepReading } from '../reading/reading.ts'
import { changedRows, rowsOf, withCopies, type Owner, type RuleRow } from './rules.ts'

const day = 86_400_000
const lookedBack = 30
/** The newest deliveries that are looked at: more than nearly everybody gets in a month. */
const mostLooked = 5000
/** As many as a person will look at. */
const mostExamples = 12
/** Readings that are asked at once: a thread is not kept from reading mail for long. */
const atOnce = 250
/** Messages of before readings knew what rules look at; each is read once. */
const mostReadAnew = 1000

export interface Deps {
  readonly db: Database
  readonly reader?: Reader | undefined
  readonly now: Date
}

interface RulesOfMailbox {
  readonly before: readonly MailRule[]
  readonly after: readonly MailRule[]
}

/** Mail of the last 30 days with what rules say of it, before and after a change of them. */
async function seenByRules(
  { db, reader = readHere, now }: Deps,
  organisation: Organisation,
  mailboxIds: readonly number[] | null,
  rulesFor: (mailboxIds: readonly number[]) => Promise<(mailboxId: number) => RulesOfMailbox>,
): Promise<{ readonly seen: readonly SeenByRules[]; readonly of: number }> {
  const since = new Date(now.getTime() - lookedBack * day)
  const { seen, of } = await newestSeen(db, organisation, { since, mailboxIds, limit: mostLooked })
  const distinct = [...new Set(seen.map(({ mailbox }) => mailbox.mailboxId))]
  const rulesOfMailbox = await rulesFor(distinct)
  const matcher = createMatcher(db, reader, distinct.map(rulesOfMailbox))
  const setOf = new Map(distinct.map((id, i) => [id, i]))
  const found: SeenByRules[] = []
  for (let i = 0; i < seen.length; i += atOnce) {
    const part = seen.slice(i, i + atOnce)
    const verdicts = await matcher(
      part.map(({ messageId, mailbox }) => ({ messageId, set: setOf.get(mailbox.mailboxId) ?? 0 })),
    )
    for (const [k, one] of part.entries()) {
      const said = verdicts[k]
      if (said) found.push({ ...one, ...said })
    }
  }
  return { seen: found, of }
}

interface Said {
  readonly before: readonly RuleVerdict[]
  readonly after: readonly RuleVerdict[]
}

/** Asks the rules of some mailboxes about messages; rules that are the same before and after are asked once. */
function createMatcher(db: Database, reader: Reader, all: readonly RulesOfMailbox[]) {
  const sets = all.map(({ before, after }) => {
    const isKept = new Set(before)
    return [...before, ...after.filter(rule => !isKept.has(rule))]
  })
  const verdictsOf = (set: number, matched: ReadonlySet<MailRule>): Said => {
    const said = (rules: readonly MailRule[]) => rules.filter(rule => matched.has(rule)).map(verdictOf)
    return { before: said(all[set]?.before ?? []), after: said(all[set]?.after ?? []) }
  }
  let readAnew = 0
  return async (
    asked: readonly { readonly messageId: number; readonly set: number }[],
  ): Promise<readonly (Said | null)[]> => {
    const ids = [...new Set(asked.map(({ messageId }) => messageId))]
    const rows = await select<{ message_id: number; gzip: Buffer }>(
      db,
      'SELECT message_id, gzip FROM message_readings WHERE message_id IN (:ids)',
      { ids: [0, ...ids] },
    )
    const packed = new Map(rows.map(row => [row.message_id, row.gzip]))
    const match = async (of: typeof asked) => {
      const here = of.filter(({ messageId }) => packed.has(messageId))
      // Only the sets that are asked: those of thousands of mailboxes would be copied to the thread each time.
      const used = [...new Set(here.map(({ set }) => set))]
      const answer = await reader.matchRules({
        packed: here.map(({ messageId }) => packed.get(messageId) ?? Buffer.alloc(0)),
        sets: used.map(set => sets[set] ?? []),
        of: here.map(({ set }) => used.indexOf(set)),
      })
      return new Map(here.map((one, i) => [one, answer?.[i] ?? null]))
    }
    const matched = await match(asked)
    // Without a reading, or with one of before rules were asked.
    const old = asked.filter(one => !matched.get(one)).slice(0, mostReadAnew - readAnew)
    for (const { messageId } of old) {
      const reading = await readAgain(db, reader, messageId)
      if (reading) packed.set(messageId, reading)
      readAnew += 1
    }
    const again =
      old.length > 0 ? await match(old) : new Map<(typeof asked)[number], readonly number[] | null>()
    return asked.map(one => {
      const places = matched.get(one) ?? again.get(one)
      if (!places) return null
      const rules = sets[one.set] ?? []
      return verdictsOf(one.set, new Set(places.flatMap(place => rules[place] ?? [])))
    })
  }
}

/** Reads the bytes once more and keeps what rules look at; `null` when they are gone. */
async function readAgain(db: Database, reader: Reader, messageId: number): Promise<Buffer | null> {
  const [row] = await select<{ gzip: Buffer }>(
    db,
    'SELECT gzip FROM message_sources WHERE message_id = :messageId',
    { messageId },
  )
  if (!row) return null
  const { reading } = (await reader.read(gunzipSync(row.gzip))).packed
  if (reading) await keepReading(db, messageId, reading)
  return reading
}

const switchedOn = (rows: readonly RuleRow[]): readonly MailRule[] =>
  rows.filter(row => row.switched_on === 1).map(ruleOf)

/** Rules of an owner before and after, among those that count for each mailbox. */
function placedFor(
  db: Database,
  sets: ReadonlyMap<Owner, { readonly before: readonly MailRule[]; readonly after: readonly MailRule[] }>,
) {
  return async (mailboxIds: readonly number[]) => {
    const rulesFor = await rulesOf(db, mailboxIds)
    // The same objects for the same rules, so that each is asked once.
    const organisation = sets.get(null)
    return (mailboxId: number): RulesOfMailbox => {
      const all = rulesFor(mailboxId)
      const own = sets.get(mailboxId)
      const mine = all.filter(rule => rule.owner === 'mailbox')
      const shared = all.filter(rule => rule.owner === 'organisation')
      return {
        before: [...(own?.before ?? mine), ...(organisation?.before ?? shared)],
        after: [...(own?.after ?? mine), ...(organisation?.after ?? shared)],
      }
    }
  }
}

/** Mail of one mailbox with what its rules of today say of it. */
export const seenOfOwner = (deps: Deps, organisation: Organisation, mailboxId: number) =>
  seenByRules(deps, organisation, [mailboxId], placedFor(deps.db, new Map()))

/** What each rule of an owner did in the last 30 days. */
export async function workOf(deps: Deps, owner: Owner): Promise<RulesWork> {
  const { db } = deps
  await checkOwner(db, owner)
  const [organisation, rows] = await Promise.all([readOrganisation(db), rowsOf(db, owner)])
  const rules = switchedOn(rows)
  if (rules.length === 0) return { looked: 0, of: 0, rules: [] }
  const { seen, of } = await seenByRules(
    deps,
    organisation,
    owner === null ? null : [owner],
    placedFor(db, new Map([[owner, { before: rules, after: rules }]])),
  )
  const names = new Map(rows.map(({ id, name }) => [id, name]))
  const work = rulesWork(
    rules,
    seen.map(({ after }) => after),
  )
  return {
    looked: seen.length,
    of,
    rules: work.map(({ id, matched, acted, finding }) => ({
      id,
      matched,
      acted,
      finding: shown(finding, names),
    })),
  }
}

const shown = (finding: RuleFinding | null, names: ReadonlyMap<number, string>): RuleFindingShape | null =>
  finding && 'by' in finding ? { ...finding, byName: names.get(finding.by) ?? '' } : finding

/** What a change of rules would have done to the mail of the last 30 days; nothing is changed. */
export async function effectOfRules(deps: Deps, owner: Owner, change: RulesChange): Promise<RulesEffect> {
  const { db, now } = deps
  await checkOwner(db, owner)
  const rows = await rowsOf(db, owner)
  const owners = change.act === 'copy' ? change.to : [owner]
  const sets = new Map<Owner, RulesOfMailbox>()
  const about = new Set<number>()
  let changed: readonly RuleRow[] = rows
  for (const one of owners) {
    const own = change.act === 'copy' ? await rowsOf(db, one) : rows
    changed =
      change.act === 'copy'
        ? withCopies(
            own,
            one,
            rows.filter(({ id }) => change.ids.includes(id)),
            now,
          )
        : changedRows(own, one, change, now)
    for (const id of idsAbout(own, changed)) about.add(id)
    sets.set(one, sameWhereAlike(own, changed))
  }
  return effectOf(deps, owners, sets, about, change.act === 'copy' ? [] : changed)
}

async function effectOf(
  deps: Deps,
  owners: readonly Owner[],
  sets: ReadonlyMap<Owner, RulesOfMailbox>,
  about: ReadonlySet<number>,
  rows: readonly RuleRow[],
): Promise<RulesEffect> {
  const { db, now } = deps
  const organisation = await readOrganisation(db)
  const mailboxIds = owners.includes(null) ? null : owners.filter(id => id !== null)
  const { seen, of } = await seenByRules(deps, organisation, mailboxIds, placedFor(db, sets))
  const texts = new Set(seen.flatMap(({ facts }) => candidateTexts(facts.sender)))
  const register = await entriesFor(db, [...texts], [...new Set(seen.map(one => one.mailbox.mailboxId))])
  const reach = rulesReach(seen, about, register, { policy: organisation.policy, now: now.getTime() })
  const { looked, matched, changed, wantedHeld, harmfulLetIn, moves } = reach
  const names = new Map(rows.map(({ id, name }) => [id, name]))
  const [concerned] = about
  const finding = rulesWork(
    switchedOn(rows),
    seen.map(({ after }) => after),
  ).find(({ id }) => id === concerned)?.finding
  return {
    days: lookedBack,
    looked,
    of,
    matched,
    changed,
    wantedHeld,
    harmfulLetIn,
    moves: moves.slice(0, 12),
    examples: await examplesOf(db, reach.examples.slice(0, mostExamples)),
    finding: about.size === 1 && finding ? shown(finding, names) : null,
  }
}

/** What a rule does: what would be without it. */
export async function effectOfOne(deps: Deps, row: RuleRow): Promise<RulesEffect> {
  const owner = row.mailbox_id
  const rows = await rowsOf(deps.db, owner)
  const before = switchedOn(rows.map(one => (one.id === row.id ? { ...one, switched_on: 1 as const } : one)))
  const after = before.filter(({ id }) => id !== row.id)
  return effectOf(deps, [owner], new Map([[owner, { before, after }]]), new Set([row.id]), [])
}

/** Rules before and after, the same object where a rule is the same: it is asked once. */
function sameWhereAlike(before: readonly RuleRow[], after: readonly RuleRow[]): RulesOfMailbox {
  const made = new Map<string, MailRule>()
  const of = (row: RuleRow): MailRule => {
    const key = `${row.id} ${row.version}`
    const known = made.get(key) ?? ruleOf(row)
    made.set(key, known)
    return known
  }
  const on = (rows: readonly RuleRow[]) => rows.filter(row => row.switched_on === 1).map(of)
  return { before: on(before), after: on(after) }
}

/** Rules that are new, gone or changed; when only the order is, all of them. */
function idsAbout(before: readonly RuleRow[], after: readonly RuleRow[]): readonly number[] {
  const key = ({ id, version }: RuleRow) => `${id} ${version}`
  const [was, is] = [new Set(before.map(key)), new Set(after.map(key))]
  const changed = [...before.filter(row => !is.has(key(row))), ...after.filter(row => !was.has(key(row)))]
  return [...new Set((changed.length > 0 ? changed : after).map(({ id }) => id))]
}

async function examplesOf(
  db: Database,
  examples: ReturnType<typeof rulesReach>['examples'],
): Promise<RulesEffect['examples']> {
  const rows = await select<{
    id: number
    from_name: string
    from_address: string
    subject: string
    received_at: Date
    mailbox_name: string
  }>(
    db,
    `SELECT d.id, d.from_name, d.from_address, d.subject, d.received_at, b.name AS mailbox_name
     FROM deliveries d JOIN mailboxes b ON b.id = d.mailbox_id WHERE d.id IN (:ids)`,
    { ids: [0, ...examples.map(({ id }) => id)] },
  )
  const byId = new Map(rows.map(row => [row.id, row]))
  return examples.flatMap(({ id, was, would, decidedBy }) => {
    const row = byId.get(id)
    if (!row) return []
    const { from_name, from_address, subject, received_at, mailbox_name } = row
    return [
      {
        deliveryId: id,
        from: from_name || from_address,
        subject,
        receivedAt: received_at.toISOString(),
        mailboxName: mailbox_name,
        was,
        would,
        decidedBy,
      },
    ]
  })
}

async function checkOwner(db: Database, owner: Owner): Promise<void> {
  if (owner !== null && !(await findMailboxRow(db, owner))) throw new AppError('MAILBOX_NOT_FOUND')
}
