import { containing } from '../db/like.ts'
import { undecidedSql } from '../deliveries/states-sql.ts'
import type { Router } from 'express'
import {
  bringInContacts,
  clearContacts,
  changeDefaults,
  changeMailbox,
  findMailboxes,
  listMailboxes,
  previewMailboxChange,
  previewDefaults,
  previewReply,
  readDefaults,
  readMailbox,
  type MailboxBrief,
} from '@pendro/contract'
import type { Deps } from '../app.ts'
import { findRow, select } from '../db/database.ts'
import { within } from '../db/scope.ts'
import { mount } from '../http.ts'
import { AppError } from '../errors.ts'
import { readHere, type Reader } from '../reading/reader.ts'
import { actor, type SignedIn } from '../sign-in/sessions.ts'
import { bringIn, clear } from './contacts.ts'
import { applyChange } from './change.ts'
import { applyDefaults, defaultsEffect, readDefaultsOf } from './defaults.ts'
import { effectOf } from './effect.ts'
import { readSheetOf } from './sheet.ts'
import { previewReplyOf } from './reply-preview.ts'
import { readTable } from './table.ts'

/** As digests list it; what a staffer left out by hand is seen in the preview. */
const isListed =
  "((NOT d.left_out OR o.digest_lists_near_certain) AND (d.state <> 'junk' OR o.digest_lists_junk))"

/** Sums come as text. */
const toBrief = (row: MailboxBrief): MailboxBrief => ({
  ...row,
  nextListed: Number(row.nextListed),
  nextLeftOut: Number(row.nextLeftOut),
})

/** `null`: everybody's, which are the stewards'. */
function whoseContacts(mailbox: number | 'everybody', who: SignedIn): number | null {
  if (mailbox !== 'everybody') return mailbox
  if (who.staffer.role !== 'steward') throw new AppError('NEEDS_STEWARD', { context: 'setting' })
  return null
}

export function mailboxRoutes(router: Router, { db, now, reader = readHere }: Deps): void {
  // Before the one that takes a number in its place.
  mount(router, listMailboxes, ({ query, who }) => readTable(db, who.scope, query, now()))
  mount(router, readMailbox, ({ params }) => readSheetOf(db, params.id, now()))
  mount(router, previewMailboxChange, ({ params, body }) => effectOf(db, params.id, body.change, now()))
  mount(router, changeMailbox, async ({ params, body, who }) => {
    const { change, reason, token } = body
    const id = await applyChange(db, {
      by: actor(who),
      mailboxId: params.id,
      change,
      reason,
      token,
      now: now(),
    })
    return { change: id }
  })
  mount(router, readDefaults, ({ who }) => readDefaultsOf(db, who.staffer.departments))
  mount(router, previewDefaults, ({ body }) =>
    defaultsEffect(db, body.change, now(), { before: body.before }),
  )
  mount(router, changeDefaults, async ({ body, who }) => ({
    change: await applyDefaults(db, { ...body, by: actor(who), now: now() }),
  }))
  contactRoutes(router, { db, now, reader })
  mount(router, previewReply, async ({ params, body }) => ({
    message: await previewReplyOf(db, params.id, body, now()),
  }))
  mount(router, findMailboxes, async ({ query, who }) => {
    const find = containing(query.find)
    const matching =
      query.id !== undefined
        ? 'b.id = :id'
        : query.find === ''
          ? 'TRUE'
          : 'b.name LIKE :find OR b.department LIKE :find OR EXISTS (SELECT 1 FROM mailbox_addresses a WHERE a.mailbox_id = b.id AND a.address LIKE :find)'
    const mailboxes = await select<MailboxBrief>(
      db,
      `SELECT b.id, b.name, b.address, b.department, b.kind,
         COALESCE(k.kept, 0) AS kept, COALESCE(k.listed, 0) AS nextListed, COALESCE(k.left_out, 0) AS nextLeftOut
       FROM mailboxes b LEFT JOIN (
         SELECT d.mailbox_id, COUNT(*) AS kept, SUM(d.digest_id IS NULL AND ${isListed}) AS listed,
           SUM(d.digest_id IS NULL AND NOT ${isListed}) AS left_out
         FROM deliveries d JOIN mailboxes o ON o.id = d.mailbox_id WHERE d.state IN ${undecidedSql} GROUP BY d.mailbox_id) k ON k.mailbox_id = b.id
       WHERE (${matching}) AND ${within(who.scope, 'b.id')} ORDER BY ${query.order === 'kept' ? '' : 'nextListed DESC, nextLeftOut DESC,'} kept DESC, b.name LIMIT :limit`,
      { find, id: query.id, limit: query.limit },
    )
    const total = await findRow<{ n: number }>(
      db,
      `SELECT COUNT(*) AS n FROM mailboxes b WHERE (${matching}) AND ${within(who.scope, 'b.id')}`,
      { find, id: query.id },
    )
    return { mailboxes: mailboxes.map(toBrief), total: total?.n ?? 0 }
  })
}

function contactRoutes(
  router: Router,
  { db, now, reader }: Pick<Deps, 'db' | 'now'> & { readonly reader: Reader },
): void {
  mount(router, bringInContacts, ({ query, body, who }) => {
    const mailboxId = whoseContacts(query.mailbox, who)
    const bytes = Buffer.from(body.buffer, body.byteOffset, body.byteLength)
    const book = { bytes, name: query.name, isLook: query.act === 'look' }
    return bringIn(db, { mailboxId, by: actor(who), now: now() }, book, reader.contacts)
  })
  mount(router, clearContacts, ({ body, who }) =>
    clear(db, { mailboxId: whoseContacts(body.mailbox, who), by: actor(who), now: now() }),
  )
}
