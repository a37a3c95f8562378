import type { DigestSchedule } from '@pendro/core/digest'
import type { Limits, MailboxPolicy, OrganisationPolicy } from '@pendro/core/judgement'
import { findRow, select, type Database, type Tx } from './database.ts'
import { keep, readVersions } from './versions.ts'

export interface Organisation {
  readonly name: string
  readonly timeZone: string
  readonly policy: OrganisationPolicy
  readonly limits: Limits
  readonly keepDays: number
  /** What digests are sent from. */
  readonly digestAddress: string
  /** When digests go where a mailbox says nothing else; local times. Without it daily at 07:00 (common practice). */
  readonly digestTimes?: readonly string[]
  readonly digestWeekdays?: readonly number[]
  /** Where colleagues send mail that got through, as an attachment; '' for nowhere. */
  readonly reportAddress?: string
  /** An address of ours that gets what is sent to postmaster (RFC 5321 §4.5.1); without it the first mailbox does. */
  readonly postmaster?: string
  /** Where colleagues ask by mail for a message they miss; '' for nowhere. */
  readonly helpAddress?: string
}

interface OrganisationRow {
  readonly name: string
  readonly time_zone: string
  readonly settings: Omit<Organisation, 'name' | 'timeZone'>
}

/** The one organisation of this database. Throws when it has not been set up. */
export async function readOrganisation(db: Database, tx?: Tx): Promise<Organisation> {
  const found = await organisationNow(db, tx)
  if (!found) throw new Error('No organisation in this database; run the first set-up.')
  return found
}

/** The organisation as of now, from memory where nothing has changed; `null` before the first set-up. */
export async function organisationNow(db: Database, tx?: Tx): Promise<Organisation | null> {
  return keep(db, await readVersions(db, tx), 'organisation', () => findOrganisation(db, tx))
}

async function findOrganisation(db: Database, tx?: Tx): Promise<Organisation | null> {
  const row = await findRow<OrganisationRow>(
    db,
    'SELECT name, time_zone, settings FROM organisation LIMIT 1',
    {},
    tx,
  )
  return row && { name: row.name, timeZone: row.time_zone, ...row.settings }
}

export interface MailboxRow {
  readonly id: number
  readonly address: string
  readonly name: string
  readonly kind: 'person' | 'shared' | 'list'
  readonly department: string
  readonly time_zone: string
  readonly language: string
  readonly limit_junk: number | null
  readonly limit_quarantined: number | null
  readonly limit_near_certain: number | null
  readonly uses_set_aside: number
  readonly filtering: number
  readonly digest_times: readonly string[] | null
  readonly digest_weekdays: readonly number[] | null
  readonly digest_lists_junk: number
  readonly digest_lists_near_certain: number
}

export function findMailboxRow(db: Database, id: number, tx?: Tx): Promise<MailboxRow | null> {
  return findRow<MailboxRow>(db, 'SELECT * FROM mailboxes WHERE id = :id', { id }, tx)
}

/** A colleague's own mailbox, and those they mind: whose digests they get. */
export async function ownMailboxes(db: Database, id: number): Promise<readonly number[]> {
  const minded = await select<{ mailbox_id: number }>(
    db,
    'SELECT mailbox_id FROM minders WHERE minder_id = :id',
    { id },
  )
  return [id, ...minded.map(({ mailbox_id }) => mailbox_id)]
}

export async function mailboxRows(
  db: Database,
  ids: readonly number[],
  tx?: Tx,
): Promise<ReadonlyMap<number, MailboxRow>> {
  if (ids.length === 0) return new Map()
  const rows = await select<MailboxRow>(db, 'SELECT * FROM mailboxes WHERE id IN (:ids)', { ids }, tx)
  return new Map(rows.map(row => [row.id, row]))
}

/** When a mailbox gets its digests; what it does not set is the organisation's. */
export function digestSchedule(
  {
    digest_times,
    digest_weekdays,
    time_zone,
  }: Pick<MailboxRow, 'digest_times' | 'digest_weekdays' | 'time_zone'>,
  { digestTimes = ['07:00'], digestWeekdays = [1, 2, 3, 4, 5, 6, 7] }: Organisation,
): DigestSchedule {
  return {
    times: digest_times ?? digestTimes,
    weekdays: digest_weekdays ?? digestWeekdays,
    timeZone: time_zone,
  }
}

/** What deciding needs of a mailbox; limits it does not set are the organisation's. */
export function mailboxPolicy(row: MailboxRow, { limits }: Pick<Organisation, 'limits'>): MailboxPolicy {
  return {
    mailboxId: row.id,
    limits: {
      junk: row.limit_junk ?? limits.junk,
      quarantined: row.limit_quarantined ?? limits.quarantined,
      nearCertain: row.limit_near_certain ?? limits.nearCertain,
    },
    usesSetAside: row.uses_set_aside === 1,
    filtering: row.filtering === 1,
  }
}
