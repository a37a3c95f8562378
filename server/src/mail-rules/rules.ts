import type { MailRuleDraft, MailRuleShape } from '@pendro/contract'
import type { MailRule } from '@pendro/core/mail-rules'
import { execute, findRow, inTransaction, insert, select, type Database, type Tx } from '../db/database.ts'
import { findMailboxRow } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { writeRecord, type Actor } from '../record/write.ts'

export interface RuleRow {
  readonly id: number
  readonly mailbox_id: number
  readonly name: string
  readonly needs: MailRule['needs']
  readonly conditions: MailRule['conditions']
  readonly action: MailRule['action']
  readonly switched_on: number
  readonly made_at: Date
}

/** Common practice: mail programs slow down with long lists of rules, and so would taking mail in. */
const mostRules = 500

/** The rules that count, of some mailboxes, each in its order. */
export async function rulesOf(
  db: Database,
  mailboxIds: readonly number[],
  tx?: Tx,
): Promise<ReadonlyMap<number, readonly MailRule[]>> {
  if (mailboxIds.length === 0) return new Map()
  const rows = await select<RuleRow>(
    db,
    'SELECT id, mailbox_id, name, needs, conditions, action FROM mail_rules WHERE mailbox_id IN (:mailboxIds) AND switched_on ORDER BY mailbox_id, place',
    { mailboxIds },
    tx,
  )
  const found = new Map<number, MailRule[]>()
  for (const { mailbox_id, id, name, needs, conditions, action } of rows)
    found.set(mailbox_id, [...(found.get(mailbox_id) ?? []), { id, name, needs, conditions, action }])
  return found
}

/** All rules of a mailbox, also those that are off. */
export async function listRules(db: Database, mailboxId: number): Promise<MailRuleShape[]> {
  if (!(await findMailboxRow(db, mailboxId))) throw new AppError('MAILBOX_NOT_FOUND')
  const rows = await select<RuleRow>(
    db,
    'SELECT * FROM mail_rules WHERE mailbox_id = :mailboxId ORDER BY place',
    { mailboxId },
  )
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
    const mailbox = await findRow(
      db,
      'SELECT id FROM mailboxes WHERE id = :mailboxId FOR UPDATE',
      { mailboxId },
      tx,
    )
    if (!mailbox) throw new AppError('MAILBOX_NOT_FOUND')
    const last = await findRow<{ place: number | null; n: number }>(
      db,
      'SELECT MAX(place) AS place, COUNT(*) AS n FROM mail_rules WHERE mailbox_id = :mailboxId',
      { mailboxId },
      tx,
    )
    if ((last?.n ?? 0) >= mostRules) throw new AppError('TOO_MANY_RULES')
    const place = (last?.place ?? 0) + 1
    const [id = 0] = await insert(
      db,
      'mail_rules',
      [{ mailbox_id: mailboxId, place, name, needs, conditions, action, made_at: now }],
      tx,
    )
    await writeRecord(db, tx, [{ at: now, act: 'mail-rule-added', by, mailboxId, facts: { rule: name } }])
    return id
  })
}

export async function switchRule(db: Database, by: Actor, id: number, on: boolean, now: Date): Promise<void> {
  await inTransaction(db, async tx => {
    const rule = await findRow<{ mailbox_id: number; name: string }>(
      db,
      'SELECT mailbox_id, name FROM mail_rules WHERE id = :id FOR UPDATE',
      { id },
      tx,
    )
    if (!rule) throw new AppError('MAIL_RULE_NOT_FOUND')
    const changed = await execute(
      db,
      'UPDATE mail_rules SET switched_on = :on WHERE id = :id AND switched_on <> :on',
      { id, on },
      tx,
    )
    // Somebody did the same before: it is as was asked.
    if (changed === 0) return
    const act = on ? 'mail-rule-on' : 'mail-rule-off'
    await writeRecord(db, tx, [{ at: now, act, by, mailboxId: rule.mailbox_id, facts: { rule: rule.name } }])
  })
}
