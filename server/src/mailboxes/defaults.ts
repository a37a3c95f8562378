import type { ChangeEffect, DefaultsChange, OrganisationDefaults, SettingChange } from '@pendro/contract'
import { execute, findRow, inTransaction, select, type Database, type Tx } from '../db/database.ts'
import { MailboxChanges, Organisations } from '../db/models/organisation.ts'
import { readOrganisation, type Organisation } from '../db/organisation.ts'
import { findAll, findOne, insertOne, update } from '../db/rows.ts'
import { endingSql } from '../deliveries/states-sql.ts'
import { AppError } from '../errors.ts'
import { askChore } from '../jobs/chores.ts'
import { announce } from '../live/events.ts'
import { scriptsDue } from '../stores/scripts-due.ts'
import { writeRecord, type Actor, type RecordEntry } from '../record/write.ts'
import { countContacts } from './contacts.ts'
import {
  actOf,
  checkDefaults,
  fieldsWith,
  isSame,
  keptValue,
  putBack,
  settingOf,
  stillStands,
  targetNoted,
  targetOf,
  toldValue,
  valueIn,
  type Target,
  type WholeChange,
} from './default-values.ts'
import { replayOf, type Part } from './defaults-replay.ts'
import { checkSetting } from './setting-checks.ts'
import { readSetting } from './setting-values.ts'

/** So many deliveries are decided again in one answer: nobody else waits for it long. */
const usualPart = 5000

/** Mailboxes with limits, or days, of their own. */
const ownLimits =
  '(limit_junk IS NOT NULL OR limit_quarantined IS NOT NULL OR limit_near_certain IS NOT NULL)'
const ownDays = '(keep_quarantined IS NOT NULL OR keep_junk IS NOT NULL OR keep_discarded IS NOT NULL)'

/** Limits and days of the organisation, what departments (only some, where they are named) have of their own, and how many mailboxes go by their own. */
export async function readDefaultsOf(db: Database, only: readonly string[] | null = null) {
  const [{ limits, keep, headerDays, watching = false, departments = {} }, row, inDepartments] =
    await Promise.all([
      readOrganisation(db),
      findRow<{ mailboxes: number; limits: number; keeping: number }>(
        db,
        `SELECT COUNT(*) AS mailboxes, SUM(${ownLimits}) AS limits, SUM(${ownDays}) AS keeping FROM mailboxes`,
      ),
      select<{ department: string; n: number }>(
        db,
        "SELECT department, COUNT(*) AS n FROM mailboxes WHERE department <> '' GROUP BY department ORDER BY department LIMIT 500",
      ),
    ])
  return {
    defaults: { limits, keep, headerDays },
    mailboxes: row?.mailboxes ?? 0,
    contacts: await countContacts(db, null),
    watching,
    departments: inDepartments
      .filter(({ department }) => only === null || only.includes(department))
      .map(({ department: name, n }) => {
        const own = Object.hasOwn(departments, name) ? departments[name] : undefined
        return { name, mailboxes: n, limits: own?.limits ?? null, watching: own?.watching ?? null }
      }),
    unlike: { limits: Number(row?.limits ?? 0), keeping: Number(row?.keeping ?? 0) },
  }
}

/** What a change of the defaults would come to in the mailboxes that go by them; nothing is changed. */
export async function defaultsEffect(
  db: Database,
  change: DefaultsChange,
  now: Date,
  part: Partial<Part> = {},
): Promise<ChangeEffect> {
  checkDefaults(change)
  await checkDepartment(db, targetOf(change))
  const organisation = await readOrganisation(db)
  return {
    replay: await replayOf(db, organisation, change, { now, before: null, atOnce: usualPart, ...part }),
    ends: change.what === 'keeping' ? await endsAfter(db, organisation, change.to, now) : null,
  }
}

async function checkDepartment(db: Database, { department }: Target): Promise<void> {
  if (department === null) return
  const row = await findRow<{ n: number }>(
    db,
    'SELECT COUNT(*) AS n FROM mailboxes WHERE department = :department',
    {
      department,
    },
  )
  if (!row || row.n === 0) throw new AppError('DEPARTMENT_NOT_FOUND')
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

interface Changing {
  readonly by: Actor
  readonly change: WholeChange
  readonly reason: string
  /** Of the client: the same one twice is one act. */
  readonly token: string
  readonly now: Date
}

/** Changes one of the defaults as one act; the number of the change. */
export async function applyDefaults(
  db: Database,
  { by, change: asked, reason, token, now }: Changing,
): Promise<number> {
  checkDefaults(asked)
  const change = isSetting(asked) ? readSetting(asked, await readOrganisation(db)) : asked
  const target = targetOf(change)
  await checkDepartment(db, target)
  return inTransaction(
    db,
    async tx => {
      const organisation = await lockOrganisation(db, tx)
      const before = await findOne(db, MailboxChanges, { token }, { columns: ['id'], tx })
      if (before) return before.id
      const was = valueIn(organisation, target)
      if (!isSame(target, was, change.was)) throw new AppError('MAILBOX_CHANGED')
      if (isSame(target, was, change.to)) throw new AppError('NOTHING_TO_DO', { context: 'mailbox' })
      if (isSetting(change)) await checkSetting(db, organisation, change, tx)
      const act = actOf(target)
      const noted = (value: unknown) => ({
        value,
        ...(target.department !== null && { department: target.department }),
      })
      const id = await insertOne(
        db,
        MailboxChanges,
        { mailbox_id: null, at: now, what: act, was: noted(was), is_now: noted(change.to), token },
        tx,
      )
      const value = keptValue(target, was, change.to, id)
      await update(db, MailboxChanges, { is_now: noted(value) }, { id }, tx)
      await write(db, tx, organisation, target, value, now)
      await writeRecord(db, tx, [recordOf(target, { was, to: change.to, id }, { by, reason, now })])
      await tell(db, tx, by, now)
      return id
    },
    { againOnDuplicate: true },
  )
}

const isSetting = (change: WholeChange): change is SettingChange => settingOf(targetOf(change)) !== null

function recordOf(
  target: Target,
  { was, to, id }: { readonly was: unknown; readonly to: unknown; readonly id: number },
  { by, reason, now: at }: Pick<Changing, 'by' | 'reason' | 'now'>,
): RecordEntry {
  const facts = { was: toldValue(target, was), now: toldValue(target, to), change: id }
  const who = { at, by, mailboxId: null, reason }
  const setting = settingOf(target)
  if (setting !== null) return { ...who, act: 'organisation-setting', facts: { ...facts, what: setting } }
  switch (target.what) {
    case 'department-limits':
    case 'department-watching':
      return { ...who, act: target.what, facts: { ...facts, department: target.department ?? '' } }
    case 'limits':
    case 'keeping':
    case 'header-days':
    case 'weights':
    case 'watching':
      return { ...who, act: `organisation-${target.what}`, facts }
    default:
      throw new Error(`nothing to say of ${target.what}`)
  }
}

/** Takes a change of the defaults back, unless something was built on it. */
export function undoDefaults(db: Database, by: Actor, id: number, now: Date): Promise<void> {
  return inTransaction(db, async tx => {
    const organisation = await lockOrganisation(db, tx)
    const change = await findOne(db, MailboxChanges, { id }, { tx, lock: true })
    const target = change && targetNoted(change.what, change.was.department)
    if (!change || !target) throw new AppError('CHANGE_NOT_FOUND')
    if (change.undone_at) throw new AppError('ALREADY_UNDONE')
    if (!stillStands(target, valueIn(organisation, target), change.is_now.value))
      throw new AppError('MAILBOX_CHANGED')
    const back = putBack(target, change.was.value)
    const what = settingOf(target)
    if (what !== null) await checkSetting(db, organisation, { what, to: back as SettingChange['to'] }, tx)
    await write(db, tx, organisation, target, back, now)
    await update(db, MailboxChanges, { undone_at: now }, { id }, tx)
    await writeRecord(db, tx, [
      {
        act: 'mailbox-undone',
        at: now,
        by,
        mailboxId: null,
        facts: { what: target.what, change: id },
      },
    ])
    await tell(db, tx, by, now)
  })
}

async function lockOrganisation(db: Database, tx: Tx): Promise<Organisation> {
  const [row] = await findAll(
    db,
    Organisations,
    {},
    { columns: ['name', 'time_zone', 'settings'], limit: 1, tx, lock: true },
  )
  if (!row) throw new Error('No organisation in this database; run the first set-up.')
  return { name: row.name, timeZone: row.time_zone, ...row.settings }
}

async function write(
  db: Database,
  tx: Tx,
  organisation: Organisation,
  target: Target,
  to: unknown,
  now: Date,
): Promise<void> {
  const { name, timeZone, ...settings } = organisation
  for (const [field, value] of Object.entries(fieldsWith(settings, target, to)))
    await execute(
      db,
      `UPDATE organisation SET settings = JSON_SET(settings, '$.${field}', JSON_EXTRACT(:value, '$'))`,
      { value: JSON.stringify(value) },
      tx,
    )
  if (target.what === 'name') {
    const named = { name, timeZone, ...(to as Partial<Pick<Organisation, 'name' | 'timeZone'>>) }
    await execute(db, 'UPDATE organisation SET name = :name, time_zone = :timeZone', named, tx)
  }
  // What is noted of ends follows mailbox by mailbox; the purge works each out for itself.
  if (target.what === 'keeping') await askChore(db, tx, 'ends', now)
  if (target.what === 'routes' || target.what === 'own-domains') await scriptsDue(db, tx, null)
}

const tell = (db: Database, tx: Tx, by: Actor, now: Date) =>
  announce(db, tx, now, [{ kind: 'mailbox', deliveryId: null, state: null, by: by.name }])
