import type { Database, Tx } from '../db/database.ts'
import { RecordEntries } from '../db/models/record.ts'
import { insert } from '../db/rows.ts'

export interface Actor {
  readonly kind: 'staffer' | 'colleague' | 'pendro'
  readonly id: number | null
  readonly name: string
}

export const pendro: Actor = { kind: 'pendro', id: null, name: 'Pendro' }

/** What the record can say that somebody did; its sentence is `record.act.<act>` of the wording. */
export type RecordAct =
  | 'approved'
  | 'aside-back'
  | 'asked-for-everyone'
  | 'bounced'
  | 'declined'
  | 'digest-left-out'
  | 'digest-note'
  | 'digest-reply'
  | 'digest-schedule'
  | 'digest-sent'
  | 'enquiry'
  | 'enquiry-came-in'
  | 'enquiry-opened'
  | 'forbidden-set'
  | 'import'
  | 'landed'
  | 'links-revoked'
  | 'lists'
  | 'mail-rule-added'
  | 'mail-rule-off'
  | 'mail-rule-on'
  | 'own-password'
  | 'read'
  | 'reply-looked-at'
  | 'ruling'
  | 'sealed'
  | 'set-aside'
  | 'signed-in'
  | 'store-report'
  | 'took-out'
  | 'tried-again'
  | 'undo'
  | 'unsubscribed'
  | 'upkeep'

export interface RecordEntry {
  readonly at: Date
  readonly act: RecordAct
  readonly by: Actor
  readonly mailboxId?: number | null
  readonly deliveryId?: number | null
  readonly rulingId?: number | null
  readonly reason?: string
  readonly facts?: Readonly<Record<string, string | number>>
}

/** Adds to the record; entries are never changed or removed (the database refuses it). */
export async function writeRecord(db: Database, tx: Tx, entries: readonly RecordEntry[]): Promise<void> {
  await insert(
    db,
    RecordEntries,
    entries.map(({ at, act, by, mailboxId, deliveryId, rulingId, reason, facts }) => ({
      at,
      act,
      by_kind: by.kind,
      by_id: by.id,
      by_name: by.name,
      mailbox_id: mailboxId ?? null,
      delivery_id: deliveryId ?? null,
      ruling_id: rulingId ?? null,
      reason: reason ?? '',
      facts: facts ?? {},
    })),
    tx,
  )
}
