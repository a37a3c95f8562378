import type { Database, Tx } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { FoldedRules, MailRules } from '../db/models/mail-rules.ts'
import { scriptsDue } from '../stores/scripts-due.ts'
import { exists, findAll, insert, insertOne, remove } from '../db/rows.ts'

type RuleRow = RowOf<typeof MailRules>

/** Takes out mail rules whose work the entries of a ruling do from now on. */
export async function takeRules(
  db: Database,
  tx: Tx,
  rulingId: number,
  rules: readonly RuleRow[],
): Promise<void> {
  await remove(db, MailRules, { id: rules.map(({ id }) => id) }, tx)
  await scriptsDue(
    db,
    tx,
    rules.flatMap(({ mailbox_id }) => mailbox_id ?? []),
  )
  await insert(
    db,
    FoldedRules,
    rules.map(
      ({ id, mailbox_id, place, name, needs, conditions, action, switched_on, made_at, version }) => ({
        ruling_id: rulingId,
        rule_id: id,
        was: {
          mailboxId: mailbox_id ?? 0,
          place,
          name,
          needs,
          conditions,
          action,
          on: switched_on === 1,
          madeAt: made_at.toISOString(),
          version,
        },
      }),
    ),
    tx,
  )
}

/** Brings back the rules that a ruling took out, each to its place; how many. */
export async function bringBackRules(db: Database, tx: Tx, rulingId: number): Promise<number> {
  const rows = await findAll(db, FoldedRules, { ruling_id: rulingId }, { order: [['rule_id', 'ASC']], tx })
  for (const { rule_id, was } of rows) {
    if (await exists(db, MailRules, { id: rule_id }, { tx })) continue
    await insertOne(
      db,
      MailRules,
      {
        id: rule_id,
        mailbox_id: was.mailboxId,
        place: was.place,
        name: was.name,
        needs: was.needs,
        conditions: was.conditions,
        action: was.action,
        switched_on: was.on,
        made_at: new Date(was.madeAt),
        version: was.version + 1,
      },
      tx,
    )
  }
  await remove(db, FoldedRules, { ruling_id: rulingId }, tx)
  await scriptsDue(
    db,
    tx,
    rows.map(({ was }) => was.mailboxId),
  )
  return rows.length
}
