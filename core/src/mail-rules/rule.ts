/** What a condition looks at. 'to': To and Cc. 'body': the text a reader sees. */
export type RuleField = 'from' | 'to' | 'subject' | 'list' | 'body'

/** How a text is compared: the match types of RFC 5228 §2.7.1. */
export type RuleTest = 'contains' | 'is' | 'matches'

/** One condition of a mail rule (RFC 5228 §5). */
export interface RuleCondition {
  readonly field: RuleField
  readonly test: RuleTest
  /** For 'matches' with `*` for any text and `?` for one character; a backslash takes their meaning away. */
  readonly text: string
}

/** Where a mail rule puts what it matches. */
export type RuleAction =
  | { readonly kind: 'folder'; readonly folder: string }
  | { readonly kind: 'inbox' }
  | { readonly kind: 'junk' }

/** A mailbox's own rule. Rules are asked in their order; the first that matches decides (domain.md §3, stage 5). */
export interface MailRule {
  readonly id: number
  readonly name: string
  /** 'all': every condition has to hold; 'any': one is enough. */
  readonly needs: 'all' | 'any'
  /** At least one: a rule without conditions would take every message. */
  readonly conditions: readonly RuleCondition[]
  readonly action: RuleAction
}

/** A rule that matched, and where it would put the delivery. */
export interface RuleVerdict {
  readonly id: number
  readonly name: string
  readonly place: 'moved' | 'inbox' | 'junk'
  /** '' unless `place` is 'moved'. */
  readonly folder: string
}
