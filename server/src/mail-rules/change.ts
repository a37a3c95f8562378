import type { RulesChange } from '@pendro/contract'
import { inTransaction, type Database, type Tx } from '../db/database.ts'
import { MailRules } from '../db/models/mail-rules.ts'
import { MailboxChanges, Mailboxes, Organisations } from '../db/models/organisation.ts'
import { findAll, findOne, insertOne, remove, update } from '../db/rows.ts'
import { AppError } from '../errors.ts'
import { announce } from '../live/events.ts'
import { writeRecord, type Actor } from '../record/write.ts'
import { scriptsDue } from '../stores/scripts-due.ts'
import { changedRows, rowsOf, withCopies, type Owner, type RuleRow } from './rules.ts'

interface Changing {
  readonly by: Actor
  readonly owner: Owner
  readonly change: RulesChange
  readonly reason: string
  /** Of the client: the same one twice is one act. */
  readonly token: string
  readonly now: Date
}

/** Rows that a change touches, as they were and as they are now; places of the rest follow from the order. */
interface Kept {
  readonly rows: readonly KeptRow[]
  /** The order of each list that the change is about. */
  readonly orders: readonly { readonly owner: Owner; readonly ids: readonly number[] }[]
}
type KeptRow = Omit<RuleRow, 'made_at'> & { readonly made_at: string }

/** Changes rules as one act; the number of the change, and of the rules it added. */
export function applyRulesChange(
  db: Database,
  { by, owner, change, reason, token, now }: Changing,
): Promise<{ readonly change: number; readonly added: number[] }> {
  return inTransaction(
    db,
    async tx => {
      const owners = change.act === 'copy' ? [...change.to].sort((a, b) => a - b) : [owner]
      for (const one of owner === null ? [null, ...owners.filter(id => id !== null)] : owners)
        await lockOwner(db, tx, one)
      const before = await findOne(db, MailboxChanges, { token }, { columns: ['id', 'is_now'], tx })
      if (before) return { change: before.id, added: addedBy(before.is_now.value as Kept) }
      const own = await rowsOf(db, owner, { tx })
      const was = { rows: [] as KeptRow[], orders: [] as Kept['orders'][number][] }
      const is = { rows: [] as KeptRow[], orders: [] as Kept['orders'][number][] }
      const added: number[] = []
      for (const one of owners) {
        const rows = change.act === 'copy' ? await rowsOf(db, one, { tx }) : own
        const next =
          change.act === 'copy'
            ? withCopies(rows, one, copied(own, change.ids), now)
            : changedRows(rows, one, change, now)
        const stored = await store(db, tx, rows, next)
        await scriptsDue(db, tx, one === null ? null : [one])
        added.push(...stored.added)
        was.rows.push(...stored.was.map(keep))
        is.rows.push(...stored.is.map(keep))
        was.orders.push({ owner: one, ids: rows.map(({ id }) => id) })
        is.orders.push({ owner: one, ids: stored.ids })
      }
      if (change.act === 'copy' && added.length === 0)
        throw new AppError('NOTHING_TO_DO', { context: 'mail-rule' })
      const id = await insertOne(
        db,
        MailboxChanges,
        { mailbox_id: owner, at: now, what: 'rules', was: { value: was }, is_now: { value: is }, token },
        tx,
      )
      const told = recordOf(change, own, { change: id, added: added.length })
      await writeRecord(db, tx, [{ ...told, at: now, by, mailboxId: owner, reason }])
      await tell(db, tx, by, now)
      return { change: id, added }
    },
    { againOnDuplicate: true },
  )
}

function copied(rows: readonly RuleRow[], ids: readonly number[]): readonly RuleRow[] {
  const wanted = new Set(ids)
  const found = rows.filter(({ id }) => wanted.has(id))
  if (found.length < wanted.size) throw new AppError('MAIL_RULE_NOT_FOUND')
  return found
}

const addedBy = ({ rows }: Kept): number[] => rows.map(({ id }) => id)

/** Takes a change of rules back, unless something was built on it. */
export function undoRulesChange(db: Database, by: Actor, id: number, now: Date): Promise<void> {
  return inTransaction(db, async tx => {
    const change = await findOne(db, MailboxChanges, { id }, { tx, lock: true })
    if (change?.what !== 'rules') throw new AppError('CHANGE_NOT_FOUND')
    if (change.undone_at) throw new AppError('ALREADY_UNDONE')
    const [was, is] = [change.was.value as Kept, change.is_now.value as Kept]
    for (const { owner } of is.orders) await lockOwner(db, tx, owner)
    for (const { owner, ids } of is.orders) {
      const rows = await rowsOf(db, owner, { tx })
      const touched = new Set([...was.rows, ...is.rows].map(row => row.id))
      const orderBefore = was.orders.find(order => order.owner === owner)?.ids ?? []
      // Nothing touched means that the order was changed: only the very same order can be taken back.
      const sameOrder = ids.length === rows.length && rows.every((row, i) => row.id === ids[i])
      if (touched.size === 0 && !sameOrder) throw new AppError('MAILBOX_CHANGED')
      for (const row of is.rows.filter(one => one.mailbox_id === owner))
        if (rows.find(one => one.id === row.id)?.version !== row.version)
          throw new AppError('MAILBOX_CHANGED')
      const back = was.rows.filter(one => one.mailbox_id === owner).map(restored)
      const next =
        touched.size === 0 ? inOrder(rows, orderBefore) : withBack(rows, touched, back, orderBefore)
      await store(db, tx, rows, next)
      await scriptsDue(db, tx, owner === null ? null : [owner])
    }
    await update(db, MailboxChanges, { undone_at: now }, { id }, tx)
    await writeRecord(db, tx, [
      { act: 'mail-rules-undone', at: now, by, mailboxId: change.mailbox_id, facts: { change: id } },
    ])
    await tell(db, tx, by, now)
  })
}

function inOrder(rows: readonly RuleRow[], order: readonly number[]): readonly RuleRow[] {
  const place = new Map(order.map((id, i) => [id, i]))
  return [...rows].sort((a, b) => (place.get(a.id) ?? 0) - (place.get(b.id) ?? 0))
}

/** What was touched is as it was, in its place of now; what was gone stands where it stood. */
function withBack(
  rows: readonly RuleRow[],
  touched: ReadonlySet<number>,
  back: readonly RuleRow[],
  order: readonly number[],
): readonly RuleRow[] {
  const returning = new Map(back.map(row => [row.id, row]))
  const next = rows.flatMap(row => (touched.has(row.id) ? (returning.get(row.id) ?? []) : [row]))
  const here = new Set(rows.map(({ id }) => id))
  for (const id of order) {
    const row = returning.get(id)
    if (row && !here.has(id)) next.splice(Math.min(order.indexOf(id), next.length), 0, row)
  }
  return next
}

/** What makes the stored list the wanted one: what is gone, new, changed, or in another place. */
async function store(db: Database, tx: Tx, rows: readonly RuleRow[], next: readonly RuleRow[]) {
  const byId = new Map(rows.map(row => [row.id, row]))
  const kept = new Set(next.map(({ id }) => id))
  const gone = rows.filter(({ id }) => !kept.has(id))
  if (gone.length > 0) await remove(db, MailRules, { id: gone.map(({ id }) => id) }, tx)
  const added: number[] = []
  const was: RuleRow[] = [...gone]
  const is: RuleRow[] = []
  const ids: number[] = []
  for (const [i, row] of next.entries()) {
    const place = i + 1
    const known = byId.get(row.id)
    if (!known) {
      const { id, ...columns } = row
      const stored = await insertOne(
        db,
        MailRules,
        { ...columns, switched_on: row.switched_on === 1, place, ...(id > 0 ? { id } : {}) },
        tx,
      )
      const number = id > 0 ? id : stored
      added.push(number)
      is.push({ ...row, id: number, place })
      ids.push(number)
      continue
    }
    ids.push(row.id)
    const { name, needs, conditions, action, version } = row
    if (version !== known.version) {
      const switched_on = row.switched_on === 1
      await update(
        db,
        MailRules,
        { name, needs, conditions, action, switched_on, version, place },
        { id: row.id },
        tx,
      )
      was.push(known)
      is.push({ ...row, place })
    } else if (known.place !== place) await update(db, MailRules, { place }, { id: row.id }, tx)
  }
  return { added, was, is, ids }
}

const keep = (row: RuleRow): KeptRow => ({ ...row, made_at: row.made_at.toISOString() })
/** As it was, and newer than what it replaces, so that nobody saves over it unseen. */
const restored = (row: KeptRow): RuleRow => ({
  ...row,
  made_at: new Date(row.made_at),
  version: row.version + 2,
})

async function lockOwner(db: Database, tx: Tx, owner: Owner): Promise<void> {
  // The organisation is one row.
  const row =
    owner === null
      ? (await findAll(db, Organisations, {}, { columns: ['id'], limit: 1, tx, lock: true }))[0]
      : await findOne(db, Mailboxes, { id: owner }, { columns: ['id'], tx, lock: true })
  if (!row) throw new AppError('MAILBOX_NOT_FOUND')
}

function recordOf(
  change: RulesChange,
  rows: readonly RuleRow[],
  { change: id, added }: { readonly change: number; readonly added: number },
) {
  const named = (ruleId: number) => rows.find(row => row.id === ruleId)?.name ?? ''
  switch (change.act) {
    case 'add':
      return { act: 'mail-rule-added', facts: { rule: change.draft.name, change: id } } as const
    case 'edit':
      return { act: 'mail-rule-changed', facts: { rule: change.draft.name, change: id } } as const
    case 'remove':
      return { act: 'mail-rule-removed', facts: { rule: named(change.id), change: id } } as const
    case 'switch':
      return {
        act: change.on ? 'mail-rule-on' : 'mail-rule-off',
        facts: { rule: named(change.id), change: id },
      } as const
    case 'bring-in':
      return { act: 'mail-rules-brought-in', facts: { rules: added, change: id } } as const
    case 'order':
      return { act: 'mail-rules-ordered', facts: { rules: rows.length, change: id } } as const
    case 'copy':
      return {
        act: 'mail-rules-copied',
        facts: { rules: added, mailboxes: change.to.length, change: id },
      } as const
  }
}

const tell = (db: Database, tx: Tx, by: Actor, now: Date) =>
  announce(db, tx, now, [{ kind: 'mailbox', deliveryId: null, state: null, by: by.name }])
