import type { Endpoint, Subject } from '@pendro/contract'
import type { z } from 'zod'
import { select, type Database, type Row } from '../db/database.ts'
import { MailboxChanges } from '../db/models/organisation.ts'
import { findAll } from '../db/rows.ts'
import { isWithin, within, type Scope } from '../db/scope.ts'
import { AppError } from '../errors.ts'

/** The mailboxes of some departments; `null` stays all of them. */
export async function scopeOf(db: Database, departments: readonly string[] | null): Promise<Scope> {
  if (departments === null) return null
  if (departments.length === 0) return []
  const rows = await select<{ id: number }>(
    db,
    'SELECT id FROM mailboxes WHERE department IN (:departments) ORDER BY id',
    { departments },
  )
  return rows.map(({ id }) => id)
}

interface Parts {
  readonly params: unknown
  readonly query: unknown
  readonly body: unknown
}
type Asked = Pick<Endpoint<z.ZodType, z.ZodType, z.ZodType, z.ZodType>, 'scope'>

/** What somebody looks after: departments, and the mailboxes that are in them now. */
interface LooksAfter {
  readonly scope: Scope
  readonly departments: readonly string[] | null
}

/** Refuses what is not within the scope of whoever is signed in. */
export type InScope = (endpoint: Asked, parts: Parts) => Promise<void>

/**
 * Refuses a request about what is not within a scope, whatever the request does with it. What is not there at all is
 * answered alike: a number tells nobody that there is something.
 */
export async function checkScope(
  db: Database,
  { scope, departments }: LooksAfter,
  { scope: asked }: Asked,
  parts: Parts,
): Promise<void> {
  // What is for the whole organisation was refused before anything of it was read.
  if (scope === null || asked === 'own' || asked === 'whole') return
  for (const [place, subject] of Object.entries(asked)) {
    const named = valuesAt(parts, place.split('.'))
    if (subject === 'department') {
      if (named.length === 0) throw new AppError('OUT_OF_SCOPE', { context: 'whole' })
      if (!named.every(name => departments?.includes(String(name)))) throw new AppError('OUT_OF_SCOPE')
      continue
    }
    if (named.length === 0) continue
    // 'everybody', or nobody's: what is the organisation's.
    const ids = named.filter(value => typeof value === 'number')
    if (ids.length < named.length) throw new AppError('OUT_OF_SCOPE', { context: 'whole' })
    if (!(await areWithin(db, { scope, departments }, subject, [...new Set(ids)])))
      throw new AppError('OUT_OF_SCOPE')
  }
}

/** What stands at a place, through lists; what is left out is nothing. */
function valuesAt(value: unknown, place: readonly string[]): readonly unknown[] {
  if (value === undefined) return []
  if (Array.isArray(value)) return value.flatMap(one => valuesAt(one, place))
  const [key, ...rest] = place
  if (key === undefined) return [value]
  if (typeof value !== 'object' || value === null) return []
  return Object.hasOwn(value, key) ? valuesAt((value as Row)[key], rest) : []
}

/** How many of some ids are within a scope, by what they stand for. */
const counts: Readonly<
  Record<Exclude<Subject, 'mailbox' | 'mailbox-change' | 'department'>, (scope: Scope) => string>
> = {
  delivery: scope => `deliveries x WHERE x.id IN (:ids) AND ${within(scope, 'x.mailbox_id')}`,
  enquiry: scope => `enquiries x WHERE x.id IN (:ids) AND ${within(scope, 'x.mailbox_id')}`,
  digest: scope => `digests x WHERE x.id IN (:ids) AND ${within(scope, 'x.mailbox_id')}`,
  'digest-reply': scope => `digest_replies x WHERE x.id IN (:ids) AND ${within(scope, 'x.mailbox_id')}`,
  'mail-rule': scope => `mail_rules x WHERE x.id IN (:ids) AND ${within(scope, 'x.mailbox_id')}`,
  'store-move': scope => `store_moves x WHERE x.id IN (:ids) AND ${within(scope, 'x.mailbox_id')}`,
  entry: scope =>
    `sender_entries x WHERE x.id IN (:ids) AND (x.mailbox_id IS NULL OR ${within(scope, 'x.mailbox_id')})`,
  'own-entry': scope => `sender_entries x WHERE x.id IN (:ids) AND ${within(scope, 'x.mailbox_id')}`,
  // All of it, also what is still to come of a selection: whoever takes back a ruling takes back what it did to everybody. One that is
  // about nobody's mail, such as a lesson, is the organisation's.
  ruling: scope => `rulings x WHERE x.id IN (:ids)
    AND (EXISTS (SELECT 1 FROM ruling_deliveries y WHERE y.ruling_id = x.id)
      OR EXISTS (SELECT 1 FROM ruling_entries y WHERE y.ruling_id = x.id)
      OR EXISTS (SELECT 1 FROM selections s WHERE s.ruling_id = x.id))
    AND NOT EXISTS (SELECT 1 FROM selections s JOIN selection_deliveries y ON y.selection_id = s.id
      JOIN deliveries d ON d.id = y.delivery_id WHERE s.ruling_id = x.id AND NOT ${within(scope, 'd.mailbox_id')})
    AND NOT EXISTS (SELECT 1 FROM ruling_deliveries y JOIN deliveries d ON d.id = y.delivery_id
      WHERE y.ruling_id = x.id AND NOT ${within(scope, 'd.mailbox_id')})
    AND NOT EXISTS (SELECT 1 FROM ruling_entries y JOIN sender_entries e ON e.id = y.entry_id
      WHERE y.ruling_id = x.id AND (e.mailbox_id IS NULL OR NOT ${within(scope, 'e.mailbox_id')}))`,
}

async function areWithin(
  db: Database,
  { scope, departments }: LooksAfter,
  subject: Exclude<Subject, 'department'>,
  ids: readonly number[],
): Promise<boolean> {
  if (subject === 'mailbox') return ids.every(id => isWithin(scope, id))
  if (subject === 'mailbox-change') return changesAreWithin(db, { scope, departments }, ids)
  const [row] = await select<{ n: number }>(db, `SELECT COUNT(*) AS n FROM ${counts[subject](scope)}`, {
    ids,
  })
  return row?.n === ids.length
}

/** A change of mail rules may have touched other mailboxes than the one it is noted under. */
async function changesAreWithin(
  db: Database,
  { scope, departments }: LooksAfter,
  ids: readonly number[],
): Promise<boolean> {
  const rows = await findAll(
    db,
    MailboxChanges,
    { id: [...ids] },
    { columns: ['mailbox_id', 'what', 'was', 'is_now'] },
  )
  return (
    rows.length === ids.length &&
    rows.every(({ mailbox_id, what, was, is_now }) => {
      const { department } = was as { readonly department?: string }
      if (department !== undefined) return departments?.includes(department) ?? true
      const owners = what === 'rules' ? valuesAt(is_now, ['value', 'orders', 'owner']) : []
      return [mailbox_id, ...owners].every(owner => isWithin(scope, owner as number | null))
    })
  )
}
