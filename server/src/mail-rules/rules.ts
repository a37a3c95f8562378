import { Op } from 'sequelize'
import type { MailRuleDraft, MailRuleShape } from '@pendro/contract'
import type { MailRule } from '@pendro/core/mail-rules'
import { findRow, inTransaction, type Database, type Tx } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { Mailboxes } from '../db/models/organisation.ts'
import { MailRules } from '../db/models/mail-rules.ts'
import { findAll, findOne, insertOne, update } from '../db/rows.ts'
import { findMailboxRow } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { writeRecord, type Actor } from '../record/write.ts'

export type RuleRow = Pick<
  RowOf<typeof MailRules>,
  'id' | 'mailbox_id' | 'name' | 'needs' | 'conditions' | 'action' | 'switched_on' | 'made_at'
>

/** Common practice: mail programs slow down with long lists of rules, and so would taking mail in. */
const mostRules = 500

/** The rules that count, of some mailboxes, each in its order. */
export async function rulesOf(
  db: Database,
  mailboxIds: readonly number[],
  tx?: Tx,
): Promise<ReadonlyMap<number, readonly MailRule[]>> {
  if (mailboxIds.length === 0) return new Map()
  const rows = await findAll(
    db,
    MailRules,
    { mailbox_id: [...mailboxIds], switched_on: true },
    {
      columns: ['id', 'mailbox_id', 'name', 'needs', 'conditions', 'action'],
      order: [
        ['mailbox_id', 'ASC'],
        ['place', 'ASC'],
      ],
      tx,
    },
  )
  const found = new Map<number, MailRule[]>()
  for (const { mailbox_id, id, name, needs, conditions, action } of rows)
    found.set(mailbox_id, [...(found.get(mailbox_id) ?? []), { id, name, needs, conditions, action }])
  return found
}

/** All rules of a mailbox, also those that are off. */
export async function listRules(db: Database, mailboxId: number): Promise<MailRuleShape[]> {
  if (!(await findMailboxRow(db, mailboxId))) throw new AppError('MAILBOX_NOT_FOUND')
  const rows = await findAll(db, MailRules, { mailbox_id: mailboxId }, { order: [['place', 'ASC']] })
  return rows.map(shownRule)
}

export const shownRule = ({
  id,
  name,
  needs,
  conditions,
  action,
  switched_on,
  made_at,
}: RuleRow): MailRuleShape => ({
  id,
  name,
  needs,
  conditions: [...conditions],
  action,
  on: switched_on === 1,
  madeAt: made_at.toISOString(),
})

/** Adds a rule behind those there are; its number. */
export function addRule(
  db: Database,
  by: Actor,
  mailboxId: number,
  { name, needs, conditions, action }: MailRuleDraft,
  now: Date,
): Promise<number> {
  return inTransaction(db, async tx => {
    // Locked, so that two rules added at once do not want the same place.
    const mailbox = await findOne(db, Mailboxes, { id: mailboxId }, { columns: ['id'], tx, lock: true })
    if (!mailbox) throw new AppError('MAILBOX_NOT_FOUND')
    const last = await findRow<{ place: number | null; n: number }>(
      db,
      'SELECT MAX(place) AS place, COUNT(*) AS n FROM mail_rules WHERE mailbox_id = :mailboxId',
      { mailboxId },
      tx,
    )
    if ((last?.n ?? 0) >= mostRules) throw new AppError('TOO_MANY_RULES')
    const place = (last?.place ?? 0) + 1
    const id = await insertOne(
      db,
      MailRules,
      { mailbox_id: mailboxId, place, name, needs, conditions, action, made_at: now },
      tx,
    )
    await writeRecord(db, tx, [{ at: now, act: 'mail-rule-added', by, mailboxId, facts: { rule: name } }])
    return id
  })
}

export async function switchRule(db: Database, by: Actor, id: number, on: boolean, now: Date): Promise<void> {
  await inTransaction(db, async tx => {
    const rule = await findOne(db, MailRules, { id }, { columns: ['mailbox_id', 'name'], tx, lock: true })
    if (!rule) throw new AppError('MAIL_RULE_NOT_FOUND')
    const changed = await update(db, MailRules, { switched_on: on }, { id, switched_on: { [Op.ne]: on } }, tx)
    // Somebody did the same before: it is as was asked.
    if (changed === 0) return
    const act = on ? 'mail-rule-on' : 'mail-rule-off'
    await writeRecord(db, tx, [{ at: now, act, by, mailboxId: rule.mailbox_id, facts: { rule: rule.name } }])
  })
}
