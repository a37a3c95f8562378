/** What a condition reads as text. 'to': To and Cc. 'body': the text a reader sees. 'attachment': names of attachments. */
export type TextField = 'from' | 'to' | 'subject' | 'list' | 'body' | 'attachment'

/** How a text is compared: the match types of RFC 5228 §2.7.1, and how it begins. */
export type RuleTest = 'contains' | 'is' | 'begins' | 'matches'

/** Kinds of attachments, by their content. */
export const attachmentKinds = [
  'pdf',
  'document',
  'table',
  'slides',
  'picture',
  'sound',
  'film',
  'archive',
  'calendar',
  'message',
  'program',
] as const

/** A kind of attachment. */
export type AttachmentKind = (typeof attachmentKinds)[number]

/** One condition of a mail rule (RFC 5228 §5); of several values one is enough. */
export type RuleCondition =
  | {
      readonly field: TextField
      readonly test: RuleTest
      /** For 'matches' with `*` for any text and `?` for one character; a backslash takes their meaning away. */
      readonly values: readonly string[]
    }
  | { readonly field: 'kind'; readonly test: 'is'; readonly values: readonly AttachmentKind[] }
  /** RFC 5228 §5.9: exactly the size is neither over nor under it. */
  | { readonly field: 'size'; readonly test: 'over' | 'under'; readonly bytes: number }

/**
 * What a rule does. Whether a message is held and where it goes are two questions: a rule may answer either, both, or
 * only mark (domain.md §3, stages 5 and 7).
 */
export interface RuleAction {
  /** 'let-in': not held, whatever its score; 'discarded': it can be restored. `null`: the rule leaves that to others. */
  readonly hold: 'let-in' | 'junk' | 'discarded' | null
  /** Where it goes when it goes on. */
  readonly place:
    | { readonly kind: 'folder'; readonly folder: string }
    | { readonly kind: 'inbox' }
    | { readonly kind: 'aside' }
    | null
  /** Marked as important for the mail program. */
  readonly important: boolean
  /** Rules after it are not asked. */
  readonly stop: boolean
}

/** Common practice: mail programs slow down with long lists of rules, and so would taking mail in. */
export const mostRules = 500

/** A mail rule of a mailbox, or of the organisation. Rules are asked in their order (domain.md §3, stage 5). */
export interface MailRule {
  readonly id: number
  readonly name: string
  readonly owner: 'mailbox' | 'organisation'
  /** 'all': every condition has to hold; 'any': one is enough. */
  readonly needs: 'all' | 'any'
  /** At least one: a rule without conditions would take every message. */
  readonly conditions: readonly RuleCondition[]
  readonly action: RuleAction
}

/** A rule that matched, and what it says. */
export interface RuleVerdict extends Pick<MailRule, 'id' | 'name' | 'owner'> {
  readonly hold: RuleAction['hold']
  readonly place: 'moved' | 'inbox' | 'aside' | null
  /** '' unless `place` is 'moved'. */
  readonly folder: string
  readonly important: boolean
  readonly stop: boolean
}

/** What rules look at in a message: kept with its reading, so that nothing is parsed again. Texts as they were written. */
export interface RuleView {
  /** Names and addresses, an address with a domain of RFC 5890 in both forms. */
  readonly from: readonly string[]
  readonly to: readonly string[]
  readonly subject: string
  readonly list: readonly string[]
  /** The beginning of the text. */
  readonly body: string
  readonly attachments: readonly { readonly name: string; readonly kind: AttachmentKind | null }[]
  /** Bytes. */
  readonly size: number
}
