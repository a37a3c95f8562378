import type { Router } from 'express'
import {
  changeRules,
  exportMailRules,
  foldRules,
  listFoldable,
  listMailRules,
  previewFold,
  previewRulesChange,
  readMailRule,
  readRulesWork,
  readSieveScript,
  suggestMailRule,
  undoMailboxChange,
  type RuleConditionShape,
} from '@pendro/contract'
import { writeRules } from '@pendro/core/mail-rules'
import { conditionsLike } from '@pendro/core/mailboxes'
import type { SenderFacts } from '@pendro/core/senders'
import type { Deps } from '../app.ts'
import { findRow, type Database } from '../db/database.ts'
import { MailRules } from '../db/models/mail-rules.ts'
import { MailboxChanges } from '../db/models/organisation.ts'
import { findMailboxRow } from '../db/organisation.ts'
import { findOne } from '../db/rows.ts'
import { AppError } from '../errors.ts'
import { mount, mountFile } from '../http.ts'
import { ruleOf } from '../judging/mail-rules.ts'
import { directoryAct, undoDirectory } from '../mailboxes/directory.ts'
import { undoChange } from '../mailboxes/change.ts'
import { contactsAct, undoContacts } from '../mailboxes/contacts.ts'
import { isOfDefaults } from '../mailboxes/default-values.ts'
import { undoDefaults } from '../mailboxes/defaults.ts'
import { readHere, type Reader } from '../reading/reader.ts'
import { readScript } from './script-reading.ts'
import { actor, needsWhole, type SignedIn } from '../sign-in/sessions.ts'
import { applyRulesChange, undoRulesChange } from './change.ts'
import { applyFold, foldable, previewFold as previewFoldOf } from './fold.ts'
import { effectOfOne, effectOfRules, workOf } from './replay.ts'
import { foldersOf, rowsOf, shownRule } from './rules.ts'
import { vacationOf } from './script.ts'

export function mailRuleRoutes(router: Router, { db, now, reader }: Deps): void {
  const deps = () => ({ db, reader, now: now() })
  // Before the one that takes a number in its place.
  mount(router, readRulesWork, ({ query, who }) => {
    if (query.mailbox === undefined) needsWhole(who)
    return workOf(deps(), query.mailbox ?? null)
  })
  mount(router, listFoldable, async ({ who }) => ({ mailboxes: await foldable(db, who.scope) }))
  mount(router, previewFold, ({ params }) => previewFoldOf(deps(), params.id))
  mount(router, foldRules, async ({ params, body, who }) => {
    const { rulingId, added } = await applyFold(deps(), { who, mailboxId: params.id, ...body })
    return { rulingId, rules: body.rules.length, entries: added.length }
  })
  mount(router, listMailRules, async ({ query }) => {
    const owner = query.mailbox ?? null
    const mailbox = owner === null ? null : await findMailboxRow(db, owner)
    if (owner !== null && !mailbox) throw new AppError('MAILBOX_NOT_FOUND')
    const rows = await rowsOf(db, owner)
    return {
      mailbox: mailbox && { id: mailbox.id, name: mailbox.name },
      rules: rows.map(shownRule),
      folders: await foldersOf(db, owner),
    }
  })
  scriptRoutes(router, { db, reader: reader ?? readHere })
  mount(router, previewRulesChange, ({ body }) => effectOfRules(deps(), body.mailbox, body.change))
  mount(router, changeRules, ({ body, who }) => {
    const { mailbox: owner, change, reason, token } = body
    if (owner === null) needsSteward(who)
    return applyRulesChange(db, { by: actor(who), owner, change, reason, token, now: now() })
  })
  mount(router, readMailRule, async ({ params }) => {
    const row = await findOne(db, MailRules, { id: params.id })
    if (!row) throw new AppError('MAIL_RULE_NOT_FOUND')
    const mailbox = row.mailbox_id === null ? null : await findMailboxRow(db, row.mailbox_id)
    return {
      ...shownRule(row),
      mailboxId: row.mailbox_id,
      mailboxName: mailbox?.name ?? '',
      effect: await effectOfOne(deps(), row),
    }
  })
  mount(router, suggestMailRule, ({ params }) => suggestion(db, params.id))
  mount(router, undoMailboxChange, ({ params, who }) => undoAny(db, who, params.id, now()))
}

/** Takes back whatever was changed about a mailbox, or for all: each kind has a way of its own. */
async function undoAny(
  db: Database,
  who: SignedIn,
  id: number,
  now: Date,
): Promise<{ mailboxId: number | null }> {
  const change = await findOne(db, MailboxChanges, { id }, { columns: ['what', 'mailbox_id'] })
  if (change && isOfDefaults(change.what)) {
    needsSteward(who)
    await undoDefaults(db, actor(who), id, now)
    return { mailboxId: null }
  }
  if (change?.what === directoryAct) {
    needsSteward(who)
    needsWhole(who)
    await undoDirectory(db, actor(who), id, now)
    return { mailboxId: null }
  }
  if (change?.what === contactsAct) {
    if (change.mailbox_id === null) needsSteward(who)
    return { mailboxId: await undoContacts(db, actor(who), id, now) }
  }
  if (change?.what !== 'rules') return { mailboxId: await undoChange(db, actor(who), id, now) }
  if (change.mailbox_id === null) needsSteward(who)
  await undoRulesChange(db, actor(who), id, now)
  return { mailboxId: change.mailbox_id }
}

/** Rules out as a script, and what can be read of one. */
function scriptRoutes(router: Router, { db, reader }: { db: Database; reader: Reader }): void {
  mountFile(router, exportMailRules, async ({ query, res }) => {
    const owner = query.mailbox ?? null
    if (owner !== null && !(await findMailboxRow(db, owner))) throw new AppError('MAILBOX_NOT_FOUND')
    const rows = await rowsOf(db, owner)
    const rules = rows.filter(row => row.switched_on === 1).map(ruleOf)
    const { script, left } = writeRules(rules, owner === null ? null : await vacationOf(db, owner))
    const told = left.map(
      ({ name }) => `# Left out: ${oneLine(name)} asks for kinds of attachments, by content.\n`,
    )
    res.set({
      'Content-Type': 'application/sieve; charset=utf-8',
      'Content-Disposition': 'attachment; filename="mail-rules.sieve"',
    })
    res.send(`${told.join('')}${script}`)
  })
  mount(router, readSieveScript, ({ body }) => readScript(reader, body.script))
}

const oneLine = (text: string): string => text.replace(/\s+/g, ' ')

function needsSteward(who: SignedIn): void {
  if (who.staffer.role !== 'steward') throw new AppError('NEEDS_STEWARD', { context: 'setting' })
}

/** How a rule for messages like this one begins: its mailing list, else its sender. */
async function suggestion(db: Database, deliveryId: number) {
  const row = await findRow<{
    mailbox_id: number
    mailbox_name: string
    from_name: string
    from_address: string
    sender_facts: SenderFacts
  }>(
    db,
    `SELECT d.mailbox_id, b.name AS mailbox_name, d.from_name, d.from_address, m.sender_facts
     FROM deliveries d JOIN messages m ON m.id = d.message_id JOIN mailboxes b ON b.id = d.mailbox_id WHERE d.id = :deliveryId`,
    { deliveryId },
  )
  if (!row) throw new AppError('DELIVERY_NOT_FOUND')
  return {
    mailbox: { id: row.mailbox_id, name: row.mailbox_name },
    name: (row.from_name || row.from_address || row.sender_facts.listId || '').slice(0, 120),
    conditions: conditionsLike(row.sender_facts) as RuleConditionShape[],
  }
}
