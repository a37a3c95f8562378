import { Op } from 'sequelize'
import type { DigestSchedule } from '@pendro/core/digest'
import type { Limits, MailboxPolicy } from '@pendro/core/judgement'
import type { AwayTime } from '@pendro/core/keeping'
import type { Database, Tx } from './database.ts'
import type { RowOf } from './models/columns.ts'
import { AwayPeriods, Mailboxes, Minders, Organisations } from './models/organisation.ts'
import type { OrganisationSettings, OutgoingSetting, PeersSetting, RoutesSetting } from './models/shapes.ts'
import { findAll, findOne } from './rows.ts'
import { keep, readVersions } from './versions.ts'

/** The organisation: what it is called, where its day begins, and its settings. */
export interface Organisation extends OrganisationSettings {
  readonly name: string
  readonly timeZone: string
}

/** Until somebody says otherwise: gateways bring everybody's mail, a stranger needs a few connections. */
export const usualPeers: PeersSetting = {
  others: 'limited',
  listed: { connections: 100, perMinute: 10_000, recipients: 500, megabytes: 30 },
  unlisted: { connections: 20, perMinute: 300, recipients: 100, megabytes: 30 },
}

/** Until somebody says otherwise nobody hands mail over that is to go out. */
export const usualOutgoing: OutgoingSetting = { mode: 'off', servers: [], journal: '' }

/** Until somebody says otherwise everything goes to the mail store of the process. */
export const usualRoutes: RoutesSetting = { smartHosts: [], stores: [] }

/** Until somebody says otherwise colleagues can go on after ten minutes. */
export const usualMoves = { learn: true }
const usualStandby = { on: true, after: 10, webhook: '' }

/** How an organisation has its standby mailboxes, also where it was set before all of that could be. */
export const standbyOf = (organisation: Pick<Organisation, 'standby'> | null): typeof usualStandby => ({
  ...usualStandby,
  ...organisation?.standby,
})

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
  // Whose mail they get since it is closed: what is still kept back there is theirs to look at.
  const closed = await findAll(db, Mailboxes, { closed_to_id: id }, { columns: ['id'] })
  const others = [...minded, ...entrusted].map(({ mailbox_id }) => mailbox_id)
  return [...new Set([id, ...others, ...closed.map(one => one.id)])]
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
    closed_at,
  }: Pick<MailboxRow, 'digest_times' | 'digest_weekdays' | 'time_zone' | 'closed_at'>,
  { digestTimes = ['07:00'], digestWeekdays = [1, 2, 3, 4, 5, 6, 7] }: Organisation,
  waits: readonly AwayTime[] = [],
): DigestSchedule {
  return {
    // Nobody reads what a closed mailbox is sent.
    times: closed_at === null ? (digest_times ?? digestTimes) : [],
    weekdays: digest_weekdays ?? digestWeekdays,
    timeZone: time_zone,
    waits,
  }
}

/** What a mailbox without settings of its own goes by: its department's, else the organisation's. */
export function usualOf(
  department: string,
  { limits, watching = false, departments = {} }: Pick<Organisation, 'limits' | 'watching' | 'departments'>,
): { readonly limits: Limits; readonly watching: boolean } {
  // Named by people: only what was really set counts.
  const own = Object.hasOwn(departments, department) ? departments[department] : undefined
  return { limits: own?.limits ?? limits, watching: own?.watching ?? watching }
}

/** What deciding needs of a mailbox; limits it does not set are those of its department or the organisation. */
export function mailboxPolicy(
  row: MailboxRow,
  organisation: Pick<Organisation, 'limits' | 'watching' | 'departments'>,
): MailboxPolicy {
  const { limits, watching } = usualOf(row.department, organisation)
  return {
    mailboxId: row.id,
    limits: {
      junk: row.limit_junk ?? limits.junk,
      quarantined: row.limit_quarantined ?? limits.quarantined,
      nearCertain: row.limit_near_certain ?? limits.nearCertain,
    },
    usesSetAside: row.uses_set_aside === 1,
    filtering: row.filtering === 1,
    watching,
  }
}
