import type { Database, Tx } from '../db/database.ts'
import { RecordEntries } from '../db/models/record.ts'
import { insert } from '../db/rows.ts'

export interface Actor {
  readonly kind: 'staffer' | 'colleague' | 'pendro'
  readonly id: number | null
  readonly name: string
}

export const pendro: Actor = { kind: 'pendro', id: null, name: 'Pendro' }

/** What every change of lists tells. */
export interface ListFacts {
  readonly added: number
  readonly ended: number
  readonly standing: string
  readonly patterns: string
}

/** A digest schedule as the record keeps it. */
export interface ScheduleFacts {
  readonly schedule: string
  readonly times?: string
  readonly days?: string
}

/** What was changed about a mailbox: before and after as text of numbers, days and codes. */
export interface ChangeFacts {
  readonly was: string
  readonly now: string
  readonly change: number
}

interface RuleFacts {
  readonly rule: string
  readonly change: number
}

interface MessageFacts {
  readonly subject: string
  readonly from: string
}

type Nothing = Readonly<Record<string, never>>

/** What the record can say that somebody did, each with the facts of its sentence, `record.act.<act>` of the wording. */
interface FactsOf {
  approved: ListFacts & { readonly askedBy: string; readonly for: string }
  'aside-back': { readonly kind: string; readonly pattern: string }
  'asked-for-everyone': { readonly pattern: string; readonly standing: string }
  'auto-replied': { readonly to: string }
  bounced: { readonly problem: string; readonly host?: string }
  declined: { readonly pattern: string; readonly standing: string; readonly askedBy: string }
  'drift-aside': { readonly place: string }
  'drift-back': { readonly place: string }
  'digest-left-out': { readonly subject: string }
  'digest-note': { readonly subject: string }
  'digest-reply': { readonly released: number; readonly asked: number }
  'digest-schedule': ScheduleFacts & { readonly language?: string }
  'reminder-sent': { readonly listed: number }
  'digest-sent': { readonly listed: number; readonly leftOut: number }
  enquiry: { readonly enquiry: number; readonly was: string; readonly state: string }
  'enquiry-answered': { readonly enquiry: number; readonly state: string }
  'enquiry-came-in': { readonly enquiry: number; readonly subject: string }
  'enquiry-opened': { readonly enquiry: number; readonly how: string }
  'enquiry-reply': { readonly enquiry: number; readonly how: string }
  'forbidden-set': { readonly forbidden: string }
  'history-begun': { readonly from: string; readonly verdict: string }
  'history-undone': { readonly from: string }
  import: ListFacts & { readonly file: string; readonly lines: number }
  landed: Nothing
  'links-revoked': Nothing
  language: { readonly language: string }
  lists: ListFacts
  'mailbox-away': ChangeFacts
  'mailbox-filtering': ChangeFacts
  'mailbox-keeping': ChangeFacts
  'mailbox-limits': ChangeFacts
  'mailbox-reply': ChangeFacts
  'mailbox-set-aside': ChangeFacts
  'mailbox-junk-shown': ChangeFacts
  'mailbox-reminders': ChangeFacts
  'mailbox-unfetched': ChangeFacts
  'mail-moved': {
    readonly messages: number
    readonly from: string
    readonly to: string
    readonly move: number
  }
  'mail-move-undone': { readonly from: string; readonly to: string; readonly move: number }
  'store-declared-away': { readonly store: string }
  'store-declared-back': { readonly store: string }
  'colleagues-told': { readonly store: string; readonly colleagues: number }
  /** Scripts that somebody else had changed are Pendro’s again; or what they had changed is back. */
  'scripts-put': Nothing
  'scripts-undone': Nothing
  'secret-kept': { readonly account: string }
  'secret-dropped': { readonly account: string }
  'mailbox-undone': { readonly what: string; readonly change: number }
  'kept-until': MessageFacts & { readonly until: string }
  'mail-rule-added': RuleFacts
  'mail-rule-changed': RuleFacts
  'mail-rule-off': RuleFacts
  'mail-rule-on': RuleFacts
  'mail-rule-removed': RuleFacts
  'mail-rules-brought-in': { readonly rules: number; readonly change: number }
  'mail-rules-folded': ListFacts & { readonly rules: number }
  'mail-rules-copied': { readonly rules: number; readonly mailboxes: number; readonly change: number }
  'mail-rules-ordered': { readonly rules: number; readonly change: number }
  'mail-rules-undone': { readonly change: number }
  'directory-changed': {
    readonly added: number
    readonly changed: number
    readonly closed: number
    readonly change: number
  }
  'directory-failed': { readonly problem: string }
  'mailbox-closed': { readonly change: number; readonly to: string }
  'mailbox-reopened': { readonly change: number; readonly to: string }
  contacts: { readonly added: number; readonly removed: number; readonly change: number }
  'department-limits': ChangeFacts & { readonly department: string }
  'department-watching': ChangeFacts & { readonly department: string }
  'organisation-header-days': ChangeFacts
  'organisation-keeping': ChangeFacts
  'organisation-limits': ChangeFacts
  'organisation-setting': ChangeFacts & { readonly what: string }
  'organisation-watching': ChangeFacts
  'organisation-weights': ChangeFacts
  'own-password': Nothing
  read: MessageFacts & { readonly enquiry: number }
  'reply-looked-at': Nothing
  ruling: MessageFacts & {
    readonly message: string
    readonly learn: string
    readonly sender: string
    readonly for: string
    readonly until: string
    readonly deliveries: number
    readonly colleagues: number
    readonly patterns: string
    readonly ended: number
    readonly place?: string
  }
  'ruling-done': { readonly deliveries: number; readonly left: number }
  sealed: Nothing
  'set-aside': { readonly kind: string; readonly pattern: string }
  'factor-added': { readonly kind: string; readonly name: string }
  'factor-removed': { readonly kind: string; readonly name: string }
  'factors-cleared': { readonly staffer: string; readonly factors: number }
  'identity-connected': Nothing
  'identity-dropped': Nothing
  'staffer-reset': { readonly staffer: string }
  'key-made': { readonly key: string; readonly reach: string; readonly departments: string }
  'key-ended': { readonly key: string }
  'recovery-renewed': Nothing
  'recovery-used': { readonly left: number }
  'device-ended': Nothing
  'sign-in-failed': { readonly signIn: string; readonly why: string }
  'signed-in': { readonly with: string }
  'throttle-cleared': { readonly account: string; readonly kind: string }
  'staffer-changed': {
    readonly staffer: string
    readonly what: string
    readonly was: string
    readonly now: string
    /** Groups there say so. */
    readonly by?: 'identity'
  }
  'staffer-invited': { readonly staffer: string; readonly role: string; readonly departments: string }
  'staffer-joined': {
    readonly staffer: string
    readonly role: string
    readonly departments: string
    /** Made at the first sign-in there. */
    readonly by?: 'identity'
  }
  'staffer-signed-out': { readonly staffer: string; readonly sessions: number }
  'staffer-uninvited': { readonly staffer: string }
  'staffer-password': Nothing
  'store-report': { readonly problem: string; readonly host: string }
  'took-out': { readonly entries: number; readonly format: string }
  'tried-again': Nothing
  erased: MessageFacts
  'all-tried-again': { readonly deliveries: number }
  undo: { readonly deliveries?: number; readonly stayedReleased?: number }
  unsubscribed: MessageFacts & { readonly host: string }
  upkeep: ListFacts & { readonly findings: number; readonly kind: string }
}

/** An act with its facts; what it was about. */
export type RecordLine = {
  [A in keyof FactsOf]: {
    readonly act: A
    readonly mailboxId?: number | null
    readonly deliveryId?: number | null
  } & (FactsOf[A] extends Nothing ? { readonly facts?: FactsOf[A] } : { readonly facts: FactsOf[A] })
}[keyof FactsOf]

/** What is added to the record. */
export type RecordEntry = RecordLine & {
  readonly at: Date
  readonly by: Actor
  readonly rulingId?: number | null
  readonly reason?: string
  /** The sender entry it leads to. */
  readonly entry?: number
}

/** Adds to the record; entries are never changed or removed (the database refuses it). */
export async function writeRecord(db: Database, tx: Tx, entries: readonly RecordEntry[]): Promise<void> {
  await insert(
    db,
    RecordEntries,
    entries.map(({ at, act, by, mailboxId, deliveryId, rulingId, reason, facts, entry }) => ({
      at,
      act,
      by_kind: by.kind,
      by_id: by.id,
      by_name: by.name,
      mailbox_id: mailboxId ?? null,
      delivery_id: deliveryId ?? null,
      ruling_id: rulingId ?? null,
      reason: reason ?? '',
      facts: entry === undefined ? { ...facts } : { ...facts, entry },
    })),
    tx,
  )
}
