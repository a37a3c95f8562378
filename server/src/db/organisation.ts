import { Op } from 'sequelize'
import type { DigestSchedule } from '@pendro/core/digest'
import type { MailboxPolicy } from '@pendro/core/judgement'
import type { AwayTime } from '@pendro/core/keeping'
import type { Database, Tx } from './database.ts'
import type { RowOf } from './models/columns.ts'
import { AwayPeriods, Mailboxes, Minders, Organisations } from './models/organisation.ts'
import type { OrganisationSettings } from './models/shapes.ts'
import { findAll, findOne } from './rows.ts'
import { keep, readVersions } from './versions.ts'

/** The organisation: what it is called, where its day begins, and its settings. */
export interface Organisation extends OrganisationSettings {
  readonly name: string
  readonly timeZone: string
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
  const row = await findOne(db, Organisations, {}, { columns: ['name', 'time_zone', 'settings'], tx })
  return row && { name: row.name, timeZone: row.time_zone, ...row.settings }
}

export type MailboxRow = RowOf<typeof Mailboxes>

export function findMailboxRow(db: Database, id: number, tx?: Tx): Promise<MailboxRow | null> {
  return findOne(db, Mailboxes, { id }, { tx })
}

/** A colleague's own mailbox, and those whose digests they get: which they mind, or whose colleague is away and named them. */
export async function ownMailboxes(db: Database, id: number, now: Date): Promise<readonly number[]> {
  const minded = await findAll(db, Minders, { minder_id: id }, { columns: ['mailbox_id'] })
  const entrusted = await findAll(
    db,
    AwayPeriods,
    { digests_to_id: id, from_at: { [Op.lte]: now }, until_at: { [Op.gt]: now } },
    { columns: ['mailbox_id'] },
  )
  return [...new Set([id, ...[...minded, ...entrusted].map(({ mailbox_id }) => mailbox_id)])]
}

export async function mailboxRows(
  db: Database,
  ids: readonly number[],
  tx?: Tx,
): Promise<ReadonlyMap<number, MailboxRow>> {
  if (ids.length === 0) return new Map()
  const rows = await findAll(db, Mailboxes, { id: [...ids] }, { tx })
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
  waits: readonly AwayTime[] = [],
): DigestSchedule {
  return {
    times: digest_times ?? digestTimes,
    weekdays: digest_weekdays ?? digestWeekdays,
    timeZone: time_zone,
    waits,
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
