import type { DeliveryState } from '@pendro/core/delivery'
import { expiryOf, type AwayTime, type KeptDays, type Keeping } from '@pendro/core/keeping'
import { execute, select, type Database, type Tx } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import type { Deliveries } from '../db/models/deliveries.ts'
import { AwayPeriods } from '../db/models/organisation.ts'
import { mailboxRows, readOrganisation, type MailboxRow, type Organisation } from '../db/organisation.ts'
import { findAll } from '../db/rows.ts'
import { endingSql } from './states-sql.ts'

type KeepsAs = Pick<MailboxRow, 'id' | 'keep_quarantined' | 'keep_junk' | 'keep_discarded'>

/** How a mailbox keeps what is kept back. */
export type KeepingOf = (mailbox: KeepsAs) => Keeping

/** Days of a mailbox; what it does not set is the organisation's. */
export const keptDaysOf = (
  { keep_quarantined, keep_junk, keep_discarded }: KeepsAs,
  { keep }: Pick<Organisation, 'keep'>,
): KeptDays => ({
  quarantined: keep_quarantined ?? keep.quarantined,
  junk: keep_junk ?? keep.junk,
  discarded: keep_discarded ?? keep.discarded,
})

/** A time away, and who gets the digests meanwhile; `null`: they wait. */
export interface Away extends AwayTime {
  readonly digestsTo: number | null
}

/** When the colleagues of some mailboxes are away. */
export async function awayTimes(
  db: Database,
  mailboxIds: readonly number[],
  tx?: Tx,
): Promise<ReadonlyMap<number, readonly Away[]>> {
  const found = new Map<number, Away[]>()
  if (mailboxIds.length === 0) return found
  const rows = await findAll(
    db,
    AwayPeriods,
    { mailbox_id: [...mailboxIds] },
    { columns: ['mailbox_id', 'from_at', 'until_at', 'digests_to_id'], tx },
  )
  for (const { mailbox_id, from_at, until_at, digests_to_id } of rows)
    found.set(mailbox_id, [
      ...(found.get(mailbox_id) ?? []),
      { from: from_at.getTime(), until: until_at.getTime(), digestsTo: digests_to_id },
    ])
  return found
}

/** Times away in which digests wait. */
export const waitsOf = (away: readonly Away[] = []): readonly AwayTime[] =>
  away.filter(({ digestsTo }) => digestsTo === null)

/** How some mailboxes keep what is kept back (domain.md §7), by what they say and when their colleagues are away. */
export async function keepingsOf(
  db: Database,
  organisation: Pick<Organisation, 'keep'>,
  mailboxes: readonly KeepsAs[],
  tx?: Tx,
): Promise<KeepingOf> {
  const away = await awayTimes(db, [...new Set(mailboxes.map(({ id }) => id))], tx)
  return mailbox => ({ days: keptDaysOf(mailbox, organisation), away: away.get(mailbox.id) ?? [] })
}

type Ending = Pick<
  RowOf<typeof Deliveries>,
  'id' | 'mailbox_id' | 'received_at' | 'expires_at' | 'kept_until'
> & {
  readonly state: DeliveryState
}

/** A delivery whose end is not what was noted of it. */
export interface MovedEnd {
  readonly id: number
  readonly to: Date
}

/** Deliveries with the end they really have: what is noted may be of before. */
export async function withTrueEnd<T extends Ending>(
  db: Database,
  tx: Tx,
  deliveries: readonly T[],
): Promise<readonly (T & { readonly trueEnd: Date })[]> {
  if (deliveries.length === 0) return []
  const organisation = await readOrganisation(db, tx)
  const mailboxes = await mailboxRows(db, [...new Set(deliveries.map(({ mailbox_id }) => mailbox_id))], tx)
  const keepingOf = await keepingsOf(db, organisation, [...mailboxes.values()], tx)
  return deliveries.flatMap(delivery => {
    const mailbox = mailboxes.get(delivery.mailbox_id)
    if (!mailbox) return []
    const { state, received_at, kept_until } = delivery
    const kept = { state, receivedAt: received_at.getTime(), keptUntil: kept_until?.getTime() ?? null }
    return [{ ...delivery, trueEnd: new Date(expiryOf(kept, keepingOf(mailbox))) }]
  })
}

const columns = 'd.id, d.mailbox_id, d.state, d.received_at, d.expires_at, d.kept_until'

/** Works out anew when some deliveries go away; after each change of what that depends on. */
export async function expireAnew(db: Database, tx: Tx, deliveryIds: readonly number[]): Promise<void> {
  for (let i = 0; i < deliveryIds.length; i += atOnce) {
    const ids = deliveryIds.slice(i, i + atOnce)
    const rows = await select<Ending>(
      db,
      `SELECT ${columns} FROM deliveries d WHERE d.id IN (:ids) AND d.state IN ${endingSql}`,
      { ids },
      tx,
    )
    await noteEnds(db, tx, await changed(db, tx, rows))
  }
}

const atOnce = 500

/** The same for all that a mailbox keeps; how many end at another time now. */
export async function expireMailboxAnew(db: Database, tx: Tx, mailboxId: number): Promise<number> {
  let count = 0
  for (let after = 0; ;) {
    const rows = await select<Ending>(
      db,
      `SELECT ${columns} FROM deliveries d WHERE d.mailbox_id = :mailboxId AND d.state IN ${endingSql} AND d.id > :after
       ORDER BY d.id LIMIT :atOnce`,
      { mailboxId, after, atOnce },
      tx,
    )
    const moved = await changed(db, tx, rows)
    await noteEnds(db, tx, moved)
    count += moved.length
    if (rows.length < atOnce) return count
    after = rows.at(-1)?.id ?? after
  }
}

async function changed(db: Database, tx: Tx, rows: readonly Ending[]): Promise<readonly MovedEnd[]> {
  const ending = await withTrueEnd(db, tx, rows)
  return ending
    .filter(({ trueEnd, expires_at }) => trueEnd.getTime() !== expires_at.getTime())
    .map(({ id, trueEnd }) => ({ id, to: trueEnd }))
}

/** One statement for all of a part, whatever their ends. */
export async function noteEnds(db: Database, tx: Tx, moved: readonly MovedEnd[]): Promise<void> {
  if (moved.length === 0) return
  await execute(
    db,
    `UPDATE deliveries SET expires_at = CASE id ${moved.map((_, i) => `WHEN :i${i} THEN :t${i}`).join(' ')} END
     WHERE id IN (:ids)`,
    {
      ids: moved.map(({ id }) => id),
      ...Object.fromEntries(
        moved.flatMap(({ id, to }, i) => [
          [`i${i}`, id],
          [`t${i}`, to],
        ]),
      ),
    },
    tx,
  )
}
