import type { MailboxChange } from '@pendro/contract'
import type { Database, Tx } from '../db/database.ts'
import { inTransaction } from '../db/database.ts'
import { MailboxChanges, Mailboxes } from '../db/models/organisation.ts'
import type { MailboxRow } from '../db/organisation.ts'
import { findOne, insertOne, update } from '../db/rows.ts'
import { expireMailboxAnew } from '../deliveries/expiry.ts'
import { planAgain } from '../digests/sending.ts'
import { AppError } from '../errors.ts'
import { announce } from '../live/events.ts'
import { writeRecord, type Actor, type ChangeFacts } from '../record/write.ts'
import { checkChange, isAlike, setValue, valueOf } from './settings.ts'

interface Changing {
  readonly by: Actor
  readonly mailboxId: number
  readonly change: MailboxChange
  readonly reason: string
  /** Of the client: the same one twice is one act. */
  readonly token: string
  readonly now: Date
}

/** Changes one thing about a mailbox as one act; the number of the change. */
export function applyChange(
  db: Database,
  { by, mailboxId, change, reason, token, now }: Changing,
): Promise<number> {
  return inTransaction(
    db,
    async tx => {
      const mailbox = await lockMailbox(db, tx, mailboxId)
      const before = await findOne(db, MailboxChanges, { token }, { columns: ['id'], tx })
      if (before) return before.id
      const was = await valueOf(db, mailbox, change.what, tx)
      if (!isAlike(was, change.was)) throw new AppError('MAILBOX_CHANGED')
      if (isAlike(was, change.to)) throw new AppError('NOTHING_TO_DO', { context: 'mailbox' })
      await checkChange(db, mailbox, change, now, tx)
      await setValue(db, tx, mailbox, change)
      await follow(db, tx, mailboxId, change.what)
      const id = await insertOne(
        db,
        MailboxChanges,
        {
          mailbox_id: mailboxId,
          at: now,
          what: change.what,
          was: { value: was },
          is_now: { value: change.to },
          token,
        },
        tx,
      )
      const facts: ChangeFacts = {
        was: told(was, change.what),
        now: told(change.to, change.what),
        change: id,
      }
      await writeRecord(db, tx, [{ act: `mailbox-${change.what}`, at: now, by, mailboxId, reason, facts }])
      await tell(db, tx, by, now)
      return id
    },
    { againOnDuplicate: true },
  )
}

/** Takes a change back, unless something was built on it; whose mailbox it was. */
export function undoChange(db: Database, by: Actor, id: number, now: Date): Promise<number> {
  return inTransaction(db, async tx => {
    const change = await findOne(db, MailboxChanges, { id }, { tx, lock: true })
    if (change?.mailbox_id == null) throw new AppError('CHANGE_NOT_FOUND')
    if (change.undone_at) throw new AppError('ALREADY_UNDONE')
    const what = change.what as MailboxChange['what']
    const mailbox = await lockMailbox(db, tx, change.mailbox_id)
    if (!isAlike(await valueOf(db, mailbox, what, tx), change.is_now.value))
      throw new AppError('MAILBOX_CHANGED')
    await setValue(db, tx, mailbox, { what, to: change.was.value })
    await follow(db, tx, mailbox.id, what)
    await update(db, MailboxChanges, { undone_at: now }, { id }, tx)
    await writeRecord(db, tx, [
      { act: 'mailbox-undone', at: now, by, mailboxId: mailbox.id, facts: { what, change: id } },
    ])
    await tell(db, tx, by, now)
    return mailbox.id
  })
}

async function lockMailbox(db: Database, tx: Tx, id: number): Promise<MailboxRow> {
  const mailbox = await findOne(db, Mailboxes, { id }, { tx, lock: true })
  if (!mailbox) throw new AppError('MAILBOX_NOT_FOUND')
  return mailbox
}

/** What goes away when, and when digests go, follows what a mailbox says; in the same act, so that nothing goes meanwhile. */
async function follow(db: Database, tx: Tx, mailboxId: number, what: MailboxChange['what']): Promise<void> {
  if (what === 'keeping' || what === 'away') await expireMailboxAnew(db, tx, mailboxId)
  if (what === 'away') await planAgain(db, mailboxId, tx)
}

const tell = (db: Database, tx: Tx, by: Actor, now: Date) =>
  announce(db, tx, now, [{ kind: 'mailbox', deliveryId: null, state: null, by: by.name }])

/** A value as the record keeps it: numbers and codes, which its sentence puts into words. */
export function told(value: MailboxChange['to'] | number, what = ''): string {
  if (typeof value === 'number') return String(value)
  if (value !== null && typeof value === 'object' && 'when' in value) return value.when
  if (value === null) return 'organisation'
  if (typeof value === 'string') return `${what}-${value}`
  if (typeof value === 'boolean') return value ? 'on' : 'off'
  if (Array.isArray(value))
    return value.map(one => (typeof one === 'string' ? one : `${one.from}/${one.back}`)).join(', ')
  return Object.values(value).join(' ')
}
