import type { AutomaticReplyShape, DigestLanguage, OwnAway } from '@pendro/contract'
import type { KeptDays } from '@pendro/core/keeping'
import { select, type Database } from '../db/database.ts'
import { findMailboxRow, readOrganisation, type MailboxRow } from '../db/organisation.ts'
import { keptDaysOf } from '../deliveries/expiry.ts'
import { AppError } from '../errors.ts'
import { resolveRecipients } from '../intake/recipients.ts'
import { applyChange } from '../mailboxes/change.ts'
import { isAlike, valueOf, type ValueOf } from '../mailboxes/settings.ts'
import { actor } from '../sign-in/sessions.ts'
import { spokenLanguage } from '../wording.ts'
import type { SignedInColleague } from './access.ts'

async function mailboxOf(db: Database, { id }: SignedInColleague): Promise<MailboxRow> {
  const mailbox = await findMailboxRow(db, id)
  if (!mailbox) throw new AppError('MAILBOX_NOT_FOUND')
  return mailbox
}

/** When a colleague is away, and how long mail is kept for them. */
export async function readAwayOf(
  db: Database,
  who: SignedInColleague,
): Promise<{ away: OwnAway[]; keep: KeptDays }> {
  const [mailbox, organisation] = await Promise.all([mailboxOf(db, who), readOrganisation(db)])
  const away = await shown(db, await valueOf(db, mailbox, 'away'))
  return { away, keep: keptDaysOf(mailbox, organisation) }
}

/** Times away with addresses in place of numbers; notes of the help desk are the help desk's. */
async function shown(db: Database, away: ValueOf<'away'>): Promise<OwnAway[]> {
  const ids = away.flatMap(({ digestsTo }) => digestsTo ?? [])
  const rows = await select<{ id: number; address: string }>(
    db,
    'SELECT id, address FROM mailboxes WHERE id IN (:ids)',
    { ids: [0, ...ids] },
  )
  return away.map(({ from, back, digestsTo }) => ({
    from,
    back,
    digestsTo: rows.find(({ id }) => id === digestsTo)?.address ?? '',
  }))
}

/** What a colleague's mailbox answers by itself. */
export async function readReplyOf(
  db: Database,
  who: SignedInColleague,
): Promise<{ reply: AutomaticReplyShape; language: DigestLanguage }> {
  const mailbox = await mailboxOf(db, who)
  const { inside, outside, ...rest } = await valueOf(db, mailbox, 'reply')
  return {
    reply: { ...rest, inside: [...inside], outside: [...outside] },
    language: spokenLanguage(mailbox.language) as DigestLanguage,
  }
}

interface SettingReply {
  readonly was: AutomaticReplyShape
  readonly to: AutomaticReplyShape
  readonly token: string
}

export async function setReplyOf(
  db: Database,
  who: SignedInColleague,
  { was, to, token }: SettingReply,
  now: Date,
): Promise<void> {
  await applyChange(db, {
    by: actor({ colleague: who }),
    mailboxId: who.id,
    change: { what: 'reply', was, to },
    reason: '',
    token,
    now,
  })
}

interface Setting {
  readonly was: readonly OwnAway[]
  readonly to: readonly OwnAway[]
  readonly token: string
}

/** Sets when a colleague is away; what the help desk noted of a time that stays is kept. */
export async function setAwayOf(
  db: Database,
  who: SignedInColleague,
  { was, to, token }: Setting,
  now: Date,
): Promise<void> {
  const mailbox = await mailboxOf(db, who)
  const before = await valueOf(db, mailbox, 'away')
  if (!isAlike(await shown(db, before), was)) throw new AppError('MAILBOX_CHANGED')
  const addresses = to.map(({ digestsTo }) => digestsTo).filter(address => address !== '')
  const found = await resolveRecipients(db, addresses)
  const away = to.map(({ from, back, digestsTo }) => {
    const colleague = found.get(digestsTo)
    if (digestsTo !== '' && colleague === undefined)
      throw new AppError('BAD_AWAY', { context: 'no-colleague' })
    const note = before.find(one => one.from === from && one.back === back)?.note ?? ''
    return { from, back, note, digestsTo: colleague ?? null }
  })
  await applyChange(db, {
    by: actor({ colleague: who }),
    mailboxId: who.id,
    change: { what: 'away', was: before, to: away },
    reason: '',
    token,
    now,
  })
}
