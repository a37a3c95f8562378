import type { ChangeEffect, DefaultsChange, OrganisationDefaults } from '@pendro/contract'
import { areLimits } from '@pendro/core/limits'
import { policyReach } from '@pendro/core/mailboxes'
import { candidateTexts } from '@pendro/core/senders'
import { execute, findRow, inTransaction, type Database, type Tx } from '../db/database.ts'
import { MailboxChanges, Organisations } from '../db/models/organisation.ts'
import { readOrganisation, type Organisation } from '../db/organisation.ts'
import { findAll, findOne, insertOne, update } from '../db/rows.ts'
import { endingSql } from '../deliveries/states-sql.ts'
import { AppError } from '../errors.ts'
import { askChore } from '../jobs/chores.ts'
import { entriesFor } from '../lists/entries.ts'
import { newestSeen } from '../lists/seen.ts'
import { announce } from '../live/events.ts'
import { writeRecord, type Actor } from '../record/write.ts'
import { told } from './change.ts'
import { lookedBack, shownReach } from './effect.ts'
import { isAlike } from './settings.ts'

const day = 86_400_000
/** So many deliveries are decided again in one answer: nobody else waits for it long. */
const usualPart = 5000

/** Mailboxes with limits, or days, of their own. */
const ownLimits =
  '(limit_junk IS NOT NULL OR limit_quarantined IS NOT NULL OR limit_near_certain IS NOT NULL)'
const ownDays = '(keep_quarantined IS NOT NULL OR keep_junk IS NOT NULL OR keep_discarded IS NOT NULL)'

/** Limits and days of the organisation, and how many mailboxes go by their own. */
export async function readDefaultsOf(db: Database) {
  const [{ limits, keep, headerDays }, row] = await Promise.all([
    readOrganisation(db),
    findRow<{ mailboxes: number; limits: number; keeping: number }>(
      db,
      `SELECT COUNT(*) AS mailboxes, SUM(${ownLimits}) AS limits, SUM(${ownDays}) AS keeping FROM mailboxes`,
    ),
  ])
  return {
    defaults: { limits, keep, headerDays },
    mailboxes: row?.mailboxes ?? 0,
    unlike: { limits: Number(row?.limits ?? 0), keeping: Number(row?.keeping ?? 0) },
  }
}

/** What a change of the defaults would come to in the mailboxes that go by them; nothing is changed. */
export async function defaultsEffect(
  db: Database,
  change: DefaultsChange,
  now: Date,
  /** Of limits: the part before this delivery (without it the newest one), of so many. */
  { before = null, atOnce = usualPart }: { readonly before?: number | null; readonly atOnce?: number } = {},
): Promise<ChangeEffect> {
  checkDefaults(change)
  const organisation = await readOrganisation(db)
  return {
    replay:
      change.what === 'limits' ? await replay(db, organisation, change.to, { now, before, atOnce }) : null,
    ends: change.what === 'keeping' ? await endsAfter(db, organisation, change.to, now) : null,
  }
}

async function replay(
  db: Database,
  organisation: Organisation,
  limits: OrganisationDefaults['limits'],
  { now, before, atOnce }: { readonly now: Date; readonly before: number | null; readonly atOnce: number },
): Promise<ChangeEffect['replay']> {
  const { seen, of, fit, next, policyOf } = await newestSeen(db, organisation, {
    since: new Date(now.getTime() - lookedBack * day),
    mailboxIds: null,
    limit: atOnce,
    before,
    between: { was: organisation.limits, is: limits },
  })
  const texts = new Set(seen.flatMap(({ facts }) => candidateTexts(facts.sender)))
  const mailboxIds = [...new Set(seen.map(({ mailbox }) => mailbox.mailboxId))]
  const register = await entriesFor(db, [...texts], mailboxIds)
  const reach = policyReach(seen, ({ mailboxId }) => policyOf(mailboxId, limits), register, {
    policy: organisation.policy,
    now: now.getTime(),
  })
  return { ...(await shownReach(db, reach, of)), part: { decided: seen.length, of: fit, next } }
}

/** Ends as they are noted, and as they would be; what is kept by word or by a time away goes no sooner. */
async function endsAfter(
  db: Database,
  { keep }: Organisation,
  to: OrganisationDefaults['keep'],
  now: Date,
): Promise<ChangeEffect['ends']> {
  const daysOf = (days: OrganisationDefaults['keep']) =>
    `CASE d.state WHEN 'junk' THEN ${days.junk} WHEN 'discarded' THEN ${days.discarded} ELSE ${days.quarantined} END`
  const usual = `d.expires_at = d.received_at + INTERVAL ${daysOf(keep)} DAY`
  const end = `d.received_at + INTERVAL ${daysOf(to)} DAY`
  const row = await findRow<{
    sooner: number
    later: number
    at_once: number
    wanted: number
    first: Date | null
  }>(
    db,
    `SELECT SUM(e.is_end < e.was_end) AS sooner, SUM(e.is_end > e.was_end) AS later,
       SUM(e.is_end < e.was_end AND e.is_end <= :now) AS at_once,
       SUM(e.is_end < e.was_end AND e.is_end <= :now AND e.points = 'wanted') AS wanted,
       MIN(IF(e.is_end < e.was_end, GREATEST(e.is_end, :now), NULL)) AS first
     FROM (SELECT d.expires_at AS was_end, ${end} AS is_end, d.points FROM deliveries d JOIN mailboxes b ON b.id = d.mailbox_id
       WHERE d.state IN ${endingSql} AND ${usual} AND NOT ${ownDays.replaceAll('keep_', 'b.keep_')}) e`,
    { now },
  )
  return {
    sooner: Number(row?.sooner ?? 0),
    later: Number(row?.later ?? 0),
    atOnce: Number(row?.at_once ?? 0),
    wanted: Number(row?.wanted ?? 0),
    first: row?.first ? new Date(row.first).toISOString() : null,
  }
}

function checkDefaults(change: DefaultsChange): void {
  if (change.what === 'limits' && !areLimits(change.to)) throw new AppError('BAD_LIMITS')
}

interface Changing {
  readonly by: Actor
  readonly change: DefaultsChange
  readonly reason: string
  /** Of the client: the same one twice is one act. */
  readonly token: string
  readonly now: Date
}

/** Changes one of the defaults as one act; the number of the change. */
export function applyDefaults(db: Database, { by, change, reason, token, now }: Changing): Promise<number> {
  checkDefaults(change)
  return inTransaction(
    db,
    async tx => {
      const settings = await lockSettings(db, tx)
      const before = await findOne(db, MailboxChanges, { token }, { columns: ['id'], tx })
      if (before) return before.id
      const was = settings[keyOf[change.what]]
      if (!isAlike(was, change.was)) throw new AppError('MAILBOX_CHANGED')
      if (isAlike(was, change.to)) throw new AppError('NOTHING_TO_DO', { context: 'mailbox' })
      await write(db, tx, change.what, change.to, now)
      const what = `organisation-${change.what}` as const
      const id = await insertOne(
        db,
        MailboxChanges,
        { mailbox_id: null, at: now, what, was: { value: was }, is_now: { value: change.to }, token },
        tx,
      )
      const facts = { was: told(was), now: told(change.to), change: id }
      await writeRecord(db, tx, [{ act: what, at: now, by, mailboxId: null, reason, facts }])
      await tell(db, tx, by, now)
      return id
    },
    { againOnDuplicate: true },
  )
}

/** Takes a change of the defaults back, unless something was built on it. */
export function undoDefaults(db: Database, by: Actor, id: number, now: Date): Promise<void> {
  return inTransaction(db, async tx => {
    const settings = await lockSettings(db, tx)
    const change = await findOne(db, MailboxChanges, { id }, { tx, lock: true })
    const what = Object.keys(keyOf).find(one => change?.what === `organisation-${one}`) as What | undefined
    if (!change || what === undefined) throw new AppError('CHANGE_NOT_FOUND')
    if (change.undone_at) throw new AppError('ALREADY_UNDONE')
    if (!isAlike(settings[keyOf[what]], change.is_now.value)) throw new AppError('MAILBOX_CHANGED')
    await write(db, tx, what, change.was.value, now)
    await update(db, MailboxChanges, { undone_at: now }, { id }, tx)
    await writeRecord(db, tx, [
      { act: 'mailbox-undone', at: now, by, mailboxId: null, facts: { what, change: id } },
    ])
    await tell(db, tx, by, now)
  })
}

type What = DefaultsChange['what']
const keyOf = { limits: 'limits', keeping: 'keep', 'header-days': 'headerDays' } as const

async function lockSettings(db: Database, tx: Tx): Promise<OrganisationDefaults> {
  const [row] = await findAll(db, Organisations, {}, { columns: ['settings'], limit: 1, tx, lock: true })
  if (!row) throw new Error('No organisation in this database; run the first set-up.')
  return row.settings
}

async function write(db: Database, tx: Tx, what: What, value: unknown, now: Date): Promise<void> {
  await execute(
    db,
    `UPDATE organisation SET settings = JSON_SET(settings, '$.${keyOf[what]}', JSON_EXTRACT(:value, '$'))`,
    { value: JSON.stringify(value) },
    tx,
  )
  // What is noted of ends follows mailbox by mailbox; the purge works each out for itself.
  if (what === 'keeping') await askChore(db, tx, 'ends', now)
}

const tell = (db: Database, tx: Tx, by: Actor, now: Date) =>
  announce(db, tx, now, [{ kind: 'mailbox', deliveryId: null, state: null, by: by.name }])
