import type { MailboxChange } from '@pendro/contract'
import { dayOf, startOfDay } from '@pendro/core/calendar'
import { awayProblem } from '@pendro/core/keeping'
import { replyProblem } from '@pendro/core/automatic-reply'
import { areLimits } from '@pendro/core/limits'
import type { Database, Tx } from '../db/database.ts'
import { AwayPeriods, Mailboxes } from '../db/models/organisation.ts'
import type { MailboxRow } from '../db/organisation.ts'
import { exists, findAll, insert, remove, update } from '../db/rows.ts'
import { AutomaticReplies } from '../db/models/replies.ts'
import { AppError } from '../errors.ts'
import { replyOf } from '../replying/reply.ts'
import { scriptsDue } from '../stores/scripts-due.ts'

type What = MailboxChange['what']
export type ValueOf<W extends What> = Extract<MailboxChange, { readonly what: W }>['to']

/** What a mailbox has now, as a change of it speaks of it. */
export async function valueOf<W extends What>(
  db: Database,
  mailbox: MailboxRow,
  what: W,
  tx?: Tx,
): Promise<ValueOf<W>> {
  const value =
    what === 'away'
      ? await awayOf(db, mailbox, tx)
      : what === 'reply'
        ? await replyOf(db, mailbox.id, tx)
        : plainValue(mailbox, what)
  return value as ValueOf<W>
}

type PlainWhat = Exclude<What, 'away' | 'reply'>

function plainValue(row: MailboxRow, what: PlainWhat): ValueOf<PlainWhat> {
  switch (what) {
    case 'limits': {
      const { limit_junk: junk, limit_quarantined: quarantined, limit_near_certain: nearCertain } = row
      return junk === null || quarantined === null || nearCertain === null
        ? null
        : { junk, quarantined, nearCertain }
    }
    case 'keeping': {
      const { keep_quarantined: quarantined, keep_junk: junk, keep_discarded: discarded } = row
      return quarantined === null || junk === null || discarded === null
        ? null
        : { quarantined, junk, discarded }
    }
    case 'filtering':
      return row.filtering === 1
    case 'set-aside':
      return row.uses_set_aside === 1
    case 'junk-shown':
      return row.junk_shown
    case 'reminders':
      return row.reminders
    case 'unfetched':
      return [...(row.unfetched ?? [])]
  }
}

async function awayOf(db: Database, { id, time_zone }: MailboxRow, tx?: Tx): Promise<ValueOf<'away'>> {
  const rows = await findAll(db, AwayPeriods, { mailbox_id: id }, { order: [['from_at', 'ASC']], tx })
  return rows.map(({ from_at, until_at, note, digests_to_id }) => ({
    from: dayOf(from_at.getTime(), time_zone),
    back: dayOf(until_at.getTime(), time_zone),
    note,
    digestsTo: digests_to_id,
  }))
}

/** Times away by days of a zone, as moments. */
export const awayMoments = (away: ValueOf<'away'>, timeZone: string) =>
  away.map(({ from, back, digestsTo }) => ({
    from: startOfDay(from, timeZone),
    until: startOfDay(back, timeZone),
    digestsTo,
  }))

/** Throws BAD_LIMITS or BAD_AWAY for what can't be. */
export async function checkChange(
  db: Database,
  mailbox: MailboxRow,
  change: MailboxChange,
  now: Date,
  tx?: Tx,
): Promise<void> {
  if (change.what === 'limits' && change.to !== null && !areLimits(change.to))
    throw new AppError('BAD_LIMITS')
  if (change.what === 'reply') {
    const problem = replyProblem(change.to)
    if (problem) throw new AppError('BAD_REPLY', { context: problem })
  }
  if (change.what !== 'away') return
  const wrong = awayProblem(awayMoments(change.to, mailbox.time_zone), now.getTime())
  if (wrong) throw new AppError('BAD_AWAY', { context: wrong.problem, at: wrong.at + 1 })
  for (const id of new Set(change.to.flatMap(({ digestsTo }) => digestsTo ?? []))) {
    if (id === mailbox.id) throw new AppError('BAD_AWAY', { context: 'own-digests' })
    if (!(await exists(db, Mailboxes, { id, kind: 'person' }, tx ? { tx } : {})))
      throw new AppError('BAD_AWAY', { context: 'no-colleague' })
  }
}

/** Gives a mailbox a new value; what follows from that is the caller's. */
export async function setValue(
  db: Database,
  tx: Tx,
  mailbox: MailboxRow,
  change: { readonly what: What; readonly to: unknown },
): Promise<void> {
  const { what, to } = change as Pick<MailboxChange, 'what' | 'to'> as MailboxChange
  const { id } = mailbox
  switch (what) {
    case 'limits': {
      const { junk = null, quarantined = null, nearCertain = null } = to ?? {}
      await update(
        db,
        Mailboxes,
        { limit_junk: junk, limit_quarantined: quarantined, limit_near_certain: nearCertain },
        { id },
        tx,
      )
      return
    }
    case 'keeping': {
      const { junk = null, quarantined = null, discarded = null } = to ?? {}
      await update(
        db,
        Mailboxes,
        { keep_junk: junk, keep_quarantined: quarantined, keep_discarded: discarded },
        { id },
        tx,
      )
      return
    }
    case 'filtering':
      await update(db, Mailboxes, { filtering: to }, { id }, tx)
      return
    case 'set-aside':
      await update(db, Mailboxes, { uses_set_aside: to }, { id }, tx)
      return
    case 'junk-shown':
      await update(db, Mailboxes, { junk_shown: to }, { id }, tx)
      return
    case 'reminders':
      await update(db, Mailboxes, { reminders: to }, { id }, tx)
      return
    case 'unfetched':
      await update(db, Mailboxes, { unfetched: to.length === 0 ? null : to }, { id }, tx)
      return
    case 'reply': {
      const { when: mode, ...setting } = to
      await remove(db, AutomaticReplies, { mailbox_id: id }, tx)
      await insert(db, AutomaticReplies, [{ mailbox_id: id, mode, setting }], tx)
      await scriptsDue(db, tx, [id])
      return
    }
    case 'away':
      await setAway(db, tx, mailbox, to)
      await scriptsDue(db, tx, [id])
  }
}

async function setAway(
  db: Database,
  tx: Tx,
  { id, time_zone }: MailboxRow,
  to: ValueOf<'away'>,
): Promise<void> {
  await remove(db, AwayPeriods, { mailbox_id: id }, tx)
  const moments = awayMoments(to, time_zone)
  await insert(
    db,
    AwayPeriods,
    to.map(({ note, digestsTo }, i) => ({
      mailbox_id: id,
      from_at: new Date(moments[i]?.from ?? 0),
      until_at: new Date(moments[i]?.until ?? 0),
      note,
      digests_to_id: digestsTo,
    })),
    tx,
  )
}

/** Values are alike whatever order their parts or times come in. */
export function isAlike(a: unknown, b: unknown): boolean {
  return canonical(a) === canonical(b)
}

function canonical(value: unknown): string {
  if (Array.isArray(value)) return `[${value.map(canonical).sort().join(',')}]`
  if (typeof value !== 'object' || value === null) return JSON.stringify(value)
  return `{${Object.entries(value)
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .map(([name, part]) => `${name}:${canonical(part)}`)
    .join(',')}}`
}
