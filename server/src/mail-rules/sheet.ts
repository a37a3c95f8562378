import type { MailRuleSheet, PathLineShape } from '@pendro/contract'
import { decide } from '@pendro/core/judgement'
import type { RuleVerdict } from '@pendro/core/mail-rules'
import { noAuthentication, type SenderFacts } from '@pendro/core/senders'
import { select, type Database } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import type { Messages } from '../db/models/messages.ts'
import type { Deliveries, DeliveryJudgements } from '../db/models/deliveries.ts'
import { findOne } from '../db/rows.ts'
import { MailRules } from '../db/models/mail-rules.ts'
import { findMailboxRow, mailboxPolicy, readOrganisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { factsOf } from '../lists/seen.ts'
import { shownRule } from './rules.ts'

const day = 86_400_000
const lookedBack = 30
/** So many deliveries of a rule are judged again to tell what would be without it. */
const mostLooked = 5000

interface DecidedRow
  extends
    Pick<RowOf<typeof Deliveries>, 'score'>,
    Pick<RowOf<typeof Messages>, 'bulk'>,
    Pick<RowOf<typeof DeliveryJudgements>, 'path'> {
  readonly unreadable: number
}

/** A rule with what it did lately: the consequence of switching it off, before that is done. */
export async function readRule(db: Database, id: number, now: Date): Promise<MailRuleSheet> {
  const rule = await findOne(db, MailRules, { id })
  const mailbox = rule && (await findMailboxRow(db, rule.mailbox_id))
  if (!rule || !mailbox) throw new AppError('MAIL_RULE_NOT_FOUND')
  const organisation = await readOrganisation(db)
  const rows = await select<DecidedRow>(
    db,
    `SELECT d.score, m.bulk, m.unreadable IS NOT NULL AS unreadable, j.path
     FROM deliveries d JOIN messages m ON m.id = d.message_id JOIN delivery_judgements j ON j.delivery_id = d.id
     WHERE d.rule_id = :id AND d.received_at >= :since ORDER BY d.received_at DESC LIMIT ${mostLooked}`,
    { id, since: new Date(now.getTime() - lookedBack * day) },
  )
  const without = { inbox: 0, aside: 0, moved: 0, junk: 0, quarantined: 0, sealed: 0 }
  let decided = 0
  for (const row of rows) {
    const line = row.path.find(({ stage }) => stage === 'rules')
    if (line?.outcome !== 'decided') continue
    decided += 1
    // Where a rule decided, no list had a say: the next rule, the switch or the score would have.
    const { state } = decide(
      {
        ...factsOf({ ...row, harmful: 0, rule: null }, nobody, row.score),
        rules: otherRules(line, id),
      },
      mailboxPolicy(mailbox, organisation),
      { organisation: [], mailbox: [] },
      { policy: organisation.policy, now: now.getTime() },
    )
    without[state] += 1
  }
  const { sealed: _, ...places } = without
  return { ...shownRule(rule), mailboxId: mailbox.id, mailboxName: mailbox.name, decided, without: places }
}

const nobody: SenderFacts = {
  from: [],
  envelopeFrom: null,
  sender: null,
  listId: null,
  authentication: noAuthentication,
}

const otherRules = ({ rules = [] }: PathLineShape, id: number): readonly RuleVerdict[] =>
  rules.filter(rule => rule.id !== id)
