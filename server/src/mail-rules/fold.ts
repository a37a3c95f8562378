import type { FoldPreview } from '@pendro/contract'
import { foldReach, planFold, type FoldPlan, type FoldReach } from '@pendro/core/mailboxes'
import { candidateTexts, displayPattern, type SenderEntry } from '@pendro/core/senders'
import { inTransaction, select, type Database, type Tx } from '../db/database.ts'
import { MailRules } from '../db/models/mail-rules.ts'
import { Mailboxes } from '../db/models/organisation.ts'
import { findMailboxRow, readOrganisation, type Organisation } from '../db/organisation.ts'
import { findAll, findOne } from '../db/rows.ts'
import { within, type Scope } from '../db/scope.ts'
import { AppError } from '../errors.ts'
import { ruleOf } from '../judging/mail-rules.ts'
import { entriesFor, entryColumns, toEntry, type EntryRow } from '../lists/entries.ts'
import { announce } from '../live/events.ts'
import { takeRules } from '../rulings/folded-rules.ts'
import { describeChange, writeChange, type Applied } from '../senders/changes.ts'
import { findToken } from '../acts/ruling-rows.ts'
import { actor, type SignedIn } from '../sign-in/sessions.ts'
import { seenOfOwner, type Deps } from './replay.ts'
import { rowsOf } from './rules.ts'

interface Folded {
  readonly plan: FoldPlan
  readonly reach: FoldReach
  readonly of: number
}

/** Finds the largest set of rules that become entries without any mail arriving, or being held, that was not before. */
async function fold(deps: Deps, organisation: Organisation, mailboxId: number): Promise<Folded> {
  const { db, now } = deps
  const rules = (await rowsOf(db, mailboxId)).filter(row => row.switched_on === 1).map(ruleOf)
  const entries = await listsOf(db, mailboxId)
  const { seen, of } = await seenOfOwner(deps, organisation, mailboxId)
  const texts = new Set(seen.flatMap(({ facts }) => candidateTexts(facts.sender)))
  const register = await entriesFor(db, [...texts], [mailboxId])
  const context = { policy: organisation.policy, now: now.getTime() }
  const different = new Set<number>()
  for (;;) {
    const plan = planFold({ mailboxId, rules, entries, now: now.getTime(), different })
    const reach = foldReach(seen, plan, register, context)
    const before = different.size
    for (const id of reach.different) different.add(id)
    // Each round leaves at least one more rule as it is.
    if (different.size === before) return { plan, reach, of }
  }
}

/** All live entries that speak for a mailbox. */
async function listsOf(db: Database, mailboxId: number, tx?: Tx): Promise<readonly SenderEntry[]> {
  const rows = await select<EntryRow>(
    db,
    `SELECT ${entryColumns} FROM sender_entries e WHERE e.ended_at IS NULL AND (e.mailbox_id = :mailboxId OR e.mailbox_id IS NULL)`,
    { mailboxId },
    tx,
  )
  return rows.map(toEntry)
}

/** Which rules of a mailbox would become sender entries, and what that comes to; nothing is changed. */
export async function previewFold(deps: Deps, mailboxId: number): Promise<FoldPreview> {
  if (!(await findMailboxRow(deps.db, mailboxId))) throw new AppError('MAILBOX_NOT_FOUND')
  const { plan, reach, of } = await fold(deps, await readOrganisation(deps.db), mailboxId)
  return {
    folds: plan.folds.map(({ rule, patterns, made }) => ({
      id: rule.id,
      name: rule.name,
      patterns: patterns.map(displayPattern),
      made: made.length,
    })),
    stays: plan.stays.map(({ rule, why }) => ({ id: rule.id, name: rule.name, why })),
    entries: plan.entries.length,
    discards: plan.folds.filter(({ rule }) => rule.action.hold === 'discarded').length,
    looked: reach.looked,
    of,
    matched: reach.matched,
    elsewhere: reach.elsewhere,
  }
}

interface Folding {
  readonly who: SignedIn
  readonly mailboxId: number
  /** The rules that were shown to go. */
  readonly rules: readonly number[]
  readonly reason: string
  readonly token: string
}

/** Makes entries of rules as one ruling; undone, both are as before. */
export async function applyFold(
  deps: Deps,
  { who, mailboxId, rules, reason, token }: Folding,
): Promise<Applied> {
  const { db, now } = deps
  const organisation = await readOrganisation(db)
  const { plan } = await fold(deps, organisation, mailboxId)
  const going = new Set(plan.folds.map(({ rule }) => rule.id))
  const shown = new Set(rules)
  const before = await inTransaction(db, tx => findToken(db, tx, token))
  if (before === null && (going.size !== shown.size || ![...going].every(id => shown.has(id))))
    throw new AppError('MAIL_RULE_CHANGED')
  return inTransaction(
    db,
    async tx => {
      await findOne(db, Mailboxes, { id: mailboxId }, { columns: ['id'], tx, lock: true })
      const done = await findToken(db, tx, token)
      if (done) return describeChange(db, tx, done)
      const rows = await findAll(db, MailRules, { id: [...shown], mailbox_id: mailboxId }, { tx, lock: true })
      const versions = new Map(plan.folds.map(({ rule }) => [rule.id, JSON.stringify(rule)]))
      if (
        rows.length !== shown.size ||
        rows.some(row => versions.get(row.id) !== JSON.stringify(ruleOf(row)))
      )
        throw new AppError('MAIL_RULE_CHANGED')
      const applied = await writeChange(db, tx, {
        who,
        planned: {
          change: { add: [...plan.entries], end: [] },
          replaces: new Map(),
          existing: await listsOf(db, mailboxId, tx),
        },
        reason,
        token,
        now,
        organisation,
        told: facts => ({ act: 'mail-rules-folded', facts: { ...facts, rules: rows.length }, mailboxId }),
        origin: 'mail rules',
        mayBeEmpty: true,
      })
      await takeRules(db, tx, applied.rulingId, rows)
      await announce(db, tx, now, [{ kind: 'mailbox', deliveryId: null, state: null, by: actor(who).name }])
      return applied
    },
    { againOnDuplicate: true },
  )
}

/** So many rules that block one sender each make a list worth folding. */
const worthFolding = 10

/** Mailboxes whose rules mostly block one sender each, most rules first; counted roughly, the preview tells exactly. */
export async function foldable(
  db: Database,
  scope: Scope,
): Promise<{ mailboxId: number; name: string; rules: number; all: number }[]> {
  const rows = await select<{ mailboxId: number; name: string; rules: number; all: number }>(
    db,
    `SELECT r.mailbox_id AS mailboxId, b.name, COUNT(*) AS \`all\`,
       SUM(JSON_VALUE(r.action, '$.hold') IN ('junk', 'discarded') AND JSON_VALUE(r.conditions, '$[0].field') = 'from'
         AND JSON_LENGTH(r.conditions) = 1 AND JSON_VALUE(r.conditions, '$[0].test') IN ('is', 'matches')) AS rules
     FROM mail_rules r JOIN mailboxes b ON b.id = r.mailbox_id WHERE r.switched_on AND ${within(scope, 'r.mailbox_id')}
     GROUP BY r.mailbox_id, b.name HAVING rules >= :worthFolding ORDER BY rules DESC LIMIT 50`,
    { worthFolding },
  )
  return rows.map(row => ({ ...row, rules: Number(row.rules), all: Number(row.all) }))
}
