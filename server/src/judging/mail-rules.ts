import { Op } from 'sequelize'
import type { MailRule } from '@pendro/core/mail-rules'
import type { Database, Tx } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { MailRules } from '../db/models/mail-rules.ts'
import { findAll } from '../db/rows.ts'

type RuleRow = Pick<RowOf<typeof MailRules>, 'id' | 'mailbox_id' | 'name' | 'needs' | 'conditions' | 'action'>

/** A rule as the judge asks it. */
export const ruleOf = ({ id, mailbox_id, name, needs, conditions, action }: RuleRow): MailRule => ({
  id,
  name,
  owner: mailbox_id === null ? 'organisation' : 'mailbox',
  needs,
  conditions,
  action,
})

/** The rules that count for some mailboxes: of each its own in their order, then the organisation's. */
export async function rulesOf(
  db: Database,
  mailboxIds: readonly number[],
  tx?: Tx,
): Promise<(mailboxId: number) => readonly MailRule[]> {
  const rows = await findAll(
    db,
    MailRules,
    { mailbox_id: { [Op.or]: [{ [Op.in]: [...mailboxIds] }, { [Op.is]: null }] }, switched_on: true },
    {
      columns: ['id', 'mailbox_id', 'name', 'needs', 'conditions', 'action'],
      order: [
        ['mailbox_id', 'ASC'],
        ['place', 'ASC'],
        ['id', 'ASC'],
      ],
      tx,
    },
  )
  const own = new Map<number, MailRule[]>()
  const organisation: MailRule[] = []
  for (const row of rows) {
    if (row.mailbox_id === null) organisation.push(ruleOf(row))
    else own.set(row.mailbox_id, [...(own.get(row.mailbox_id) ?? []), ruleOf(row)])
  }
  return mailboxId => {
    const mine = own.get(mailboxId)
    return mine ? [...mine, ...organisation] : organisation
  }
}
