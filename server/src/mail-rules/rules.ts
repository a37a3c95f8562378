import { Op } from 'sequelize'
import type { MailRuleDraft, MailRuleShape, RulesChange } from '@pendro/contract'
import { mostRules } from '@pendro/core/mail-rules'
import { AppError } from '../errors.ts'
import { select, type Database, type Tx } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { MailRules } from '../db/models/mail-rules.ts'
import { findAll } from '../db/rows.ts'

/** A rule as it is stored; one that is not yet has a number below 0. */
export type RuleRow = RowOf<typeof MailRules>

const mostValues = 5000

/** Whose rules: a mailbox's, or with `null` the organisation's. */
export type Owner = number | null

/** All rules of an owner in their order, also those that are off. */
export function rowsOf(
  db: Database,
  owner: Owner,
  { tx, lock }: { readonly tx?: Tx; readonly lock?: boolean } = {},
): Promise<readonly RuleRow[]> {
  const where = owner === null ? { mailbox_id: { [Op.is]: null } } : { mailbox_id: owner }
  return findAll(db, MailRules, where, {
    order: [
      ['place', 'ASC'],
      ['id', 'ASC'],
    ],
    tx,
    lock,
  })
}

/** Folders that rules file in, and that mail went to. */
export async function foldersOf(db: Database, owner: Owner): Promise<string[]> {
  const rows = await select<{ folder: string }>(
    db,
    owner === null
      ? "SELECT DISTINCT JSON_VALUE(action, '$.place.folder') AS folder FROM mail_rules WHERE mailbox_id IS NULL HAVING folder IS NOT NULL"
      : `SELECT DISTINCT folder FROM (
           SELECT JSON_VALUE(action, '$.place.folder') AS folder FROM mail_rules WHERE mailbox_id = :owner
           UNION SELECT folder FROM deliveries WHERE mailbox_id = :owner AND state = 'moved') f WHERE folder IS NOT NULL`,
    { owner },
  )
  return rows.map(({ folder }) => folder).sort((a, b) => a.localeCompare(b))
}

export const shownRule = (row: RuleRow): MailRuleShape => ({
  id: row.id,
  name: row.name,
  needs: row.needs,
  conditions: row.conditions.map(condition =>
    condition.field === 'size' ? condition : { ...condition, values: [...condition.values] },
  ) as MailRuleShape['conditions'],
  action: row.action,
  on: row.switched_on === 1,
  madeAt: row.made_at.toISOString(),
  version: row.version,
})

/** All but those that reach into other mailboxes. */
type OwnChange = Exclude<RulesChange, { readonly to: unknown }>

/**
 * The rules of one owner after a change, in their order, with new ones numbered -1. Throws MAIL_RULE_NOT_FOUND, MAIL_RULE_CHANGED where
 * somebody else was first, NOTHING_TO_DO and TOO_MANY_RULES.
 */
export function changedRows(
  rows: readonly RuleRow[],
  owner: Owner,
  change: OwnChange,
  now: Date,
): readonly RuleRow[] {
  switch (change.act) {
    case 'add':
      return checked(insertedAt(rows, change.at, [newRow(owner, change.draft, now, -1)]))
    case 'bring-in': {
      const known = new Set(rows.map(sameness))
      const added = change.drafts
        .map((draft, i) => newRow(owner, draft, now, -1 - i))
        .filter(row => !known.has(sameness(row)) && known.add(sameness(row)))
      if (added.length === 0) throw new AppError('NOTHING_TO_DO', { context: 'mail-rule' })
      return checked([...rows, ...added])
    }
    case 'edit': {
      const { conditions, name, needs, action } = change.draft
      seen(rows, change)
      return checked(
        rows.map(row =>
          row.id === change.id ? { ...row, name, needs, conditions, action, version: row.version + 1 } : row,
        ),
      )
    }
    case 'remove':
      seen(rows, change)
      return rows.filter(({ id }) => id !== change.id)
    case 'switch': {
      const rule = find(rows, change.id)
      const on = Number(change.on) as 0 | 1
      if (rule.switched_on === on) throw new AppError('NOTHING_TO_DO', { context: 'mail-rule' })
      return rows.map(row => (row === rule ? { ...row, switched_on: on, version: row.version + 1 } : row))
    }
    case 'order': {
      const ids = new Set(change.ids)
      if (ids.size !== rows.length || !rows.every(({ id }) => ids.has(id)))
        throw new AppError('MAIL_RULE_CHANGED')
      if (rows.every(({ id }, i) => change.ids[i] === id))
        throw new AppError('NOTHING_TO_DO', { context: 'mail-rule' })
      return change.ids.map(id => find(rows, id))
    }
  }
}

/** The rules of another mailbox with copies of some behind them, numbered -1, -2 …; what is there already is not copied. */
export function withCopies(
  rows: readonly RuleRow[],
  owner: Owner,
  copies: readonly RuleRow[],
  now: Date,
): readonly RuleRow[] {
  const known = new Set(rows.map(sameness))
  const added = copies
    .filter(row => !known.has(sameness(row)))
    .map((row, i) => ({ ...row, ...newRow(owner, draftOf(row), now, -1 - i), switched_on: row.switched_on }))
  return checked([...rows, ...added])
}

const sameness = ({ needs, conditions, action }: RuleRow): string =>
  JSON.stringify([needs, conditions, action])

const draftOf = ({ name, needs, conditions, action }: RuleRow) =>
  ({ name, needs, conditions, action }) as MailRuleDraft

const newRow = (
  owner: Owner,
  { name, needs, conditions, action }: MailRuleDraft,
  now: Date,
  id: number,
): RuleRow => ({
  id,
  mailbox_id: owner,
  place: 0,
  name,
  needs,
  conditions,
  action,
  switched_on: 1,
  made_at: now,
  version: 1,
})

function insertedAt(rows: readonly RuleRow[], at: number | undefined, added: readonly RuleRow[]): RuleRow[] {
  const place = Math.min(at ?? rows.length, rows.length)
  return [...rows.slice(0, place), ...added, ...rows.slice(place)]
}

function checked(rows: readonly RuleRow[]): readonly RuleRow[] {
  const values = rows.reduce(
    (total, { conditions }) =>
      total + conditions.reduce((sum, one) => sum + (one.field === 'size' ? 1 : one.values.length), 0),
    0,
  )
  if (rows.length > mostRules || values > mostValues) throw new AppError('TOO_MANY_RULES')
  return rows
}

function find(rows: readonly RuleRow[], id: number): RuleRow {
  const rule = rows.find(row => row.id === id)
  if (!rule) throw new AppError('MAIL_RULE_NOT_FOUND')
  return rule
}

function seen(rows: readonly RuleRow[], { id, version }: { id: number; version: number }): void {
  if (find(rows, id).version !== version) throw new AppError('MAIL_RULE_CHANGED')
}
