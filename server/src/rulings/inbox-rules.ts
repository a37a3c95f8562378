import { addressText } from '@pendro/core/address'
import { mostRules } from '@pendro/core/mail-rules'
import { conditionsLike } from '@pendro/core/mailboxes'
import { execute, type Database, type Tx } from '../db/database.ts'
import { MailRules, RulingRules } from '../db/models/mail-rules.ts'
import { Mailboxes } from '../db/models/organisation.ts'
import { findAll, findOne, insert, insertOne, remove } from '../db/rows.ts'
import { AppError } from '../errors.ts'
import { scriptsDue } from '../stores/scripts-due.ts'
import type { RuledDelivery } from './proposals.ts'

/** A rule to be made with a ruling: mail like one of its deliveries goes to the inbox of that mailbox. */
export interface InboxRule {
  readonly mailboxId: number
  readonly name: string
  readonly conditions: ReturnType<typeof conditionsLike>
}

const toInbox = { hold: null, place: { kind: 'inbox' }, important: false, stop: false } as const

/** One rule a mailbox and sender or list. @throws NO_SENDER for a message that has neither. */
export function inboxRulesFor(deliveries: readonly RuledDelivery[]): readonly InboxRule[] {
  const rules = deliveries.map(({ mailbox_id: mailboxId, sender_facts: facts, from_address }) => {
    const conditions = conditionsLike(facts)
    if (conditions.length === 0) throw new AppError('NO_SENDER')
    const name = facts.listId ?? (facts.from[0] ? addressText(facts.from[0]) : from_address)
    return { mailboxId, name: name.slice(0, 120), conditions }
  })
  return [...new Map(rules.map(rule => [JSON.stringify([rule.mailboxId, rule.conditions]), rule])).values()]
}

/**
 * Puts rules before all others of their mailboxes, in the caller's transaction, and notes that a ruling made them. A rule
 * that is there already is not made again; how many were made.
 */
export async function makeInboxRules(
  db: Database,
  tx: Tx,
  rulingId: number,
  rules: readonly InboxRule[],
  now: Date,
): Promise<number> {
  const made: number[] = []
  for (const { mailboxId, name, conditions } of [...rules].sort((a, b) => a.mailboxId - b.mailboxId)) {
    // Whoever changes rules of a mailbox holds its row.
    await findOne(db, Mailboxes, { id: mailboxId }, { columns: ['id'], tx, lock: true })
    const own = await findAll(
      db,
      MailRules,
      { mailbox_id: mailboxId },
      { columns: ['id', 'conditions', 'action', 'switched_on', 'place'], order: [['place', 'ASC']], tx },
    )
    const same = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b)
    const [first] = own
    if (first?.switched_on === 1 && same(first.conditions, conditions) && same(first.action, toInbox))
      continue
    if (own.length >= mostRules) throw new AppError('TOO_MANY_RULES')
    await execute(
      db,
      'UPDATE mail_rules SET place = place + 1 WHERE mailbox_id = :mailboxId',
      { mailboxId },
      tx,
    )
    made.push(
      await insertOne(
        db,
        MailRules,
        {
          mailbox_id: mailboxId,
          place: 1,
          name,
          needs: 'all',
          conditions: [...conditions],
          action: toInbox,
          switched_on: true,
          made_at: now,
          version: 1,
        },
        tx,
      ),
    )
  }
  await insert(
    db,
    RulingRules,
    made.map(rule_id => ({ ruling_id: rulingId, rule_id })),
    tx,
  )
  await scriptsDue(
    db,
    tx,
    rules.map(({ mailboxId }) => mailboxId),
  )
  return made.length
}

/** Takes out the rules a ruling made. @throws MAIL_RULE_CHANGED when somebody has changed one since. */
export async function takeInboxRules(db: Database, tx: Tx, rulingId: number): Promise<void> {
  const made = await findAll(db, RulingRules, { ruling_id: rulingId }, { columns: ['rule_id'], tx })
  if (made.length === 0) return
  const ids = made.map(({ rule_id }) => rule_id)
  const rules = await findAll(
    db,
    MailRules,
    { id: ids },
    { columns: ['id', 'version', 'mailbox_id'], tx, lock: true },
  )
  if (rules.some(({ version }) => version !== 1)) throw new AppError('MAIL_RULE_CHANGED')
  await remove(db, MailRules, { id: ids }, tx)
  await scriptsDue(
    db,
    tx,
    rules.flatMap(({ mailbox_id }) => mailbox_id ?? []),
  )
}
