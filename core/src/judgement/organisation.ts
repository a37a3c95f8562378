import type { AttachmentDanger } from '../message/index.ts'

/** The settings of an organisation that judging looks at. */
export interface OrganisationPolicy {
  /** A-labels; mail from these is "from us". */
  readonly ownDomains: readonly string[]
  /** authserv-ids whose Authentication-Results count (RFC 8601 §5), from the gateways' networks only. */
  readonly trustedHosts: readonly string[]
  /** Networks gateways connect from: 'address' or 'address/bits'. None: nobody's word counts. */
  readonly gateways?: readonly string[]
  /** Networks the mail store connects from; its delivery reports count. */
  readonly stores?: readonly string[]
  /** Domains whose ARC seals count (RFC 8617). */
  readonly arcSealers?: readonly string[]
  /** Attachments that seal a message, whatever any list says. */
  readonly forbidden: readonly AttachmentDanger[]
  /** Hosts where anybody can put a file: a link there says nothing about the sender. */
  readonly fileHosts: readonly string[]
  /** Hosts that hide where a link leads. */
  readonly linkShorteners?: readonly string[]
  /** Domains with many unrelated senders, such as free mail, besides the packaged ones. */
  readonly sharedProviders: readonly string[]
}

/** Junk scores from which mail is junk, quarantined, near-certain junk: junk <= quarantined <= nearCertain. */
export interface Limits {
  /** Equal to `quarantined` when the mailbox does not use its junk folder. */
  readonly junk: number
  readonly quarantined: number
  readonly nearCertain: number
}

/** The settings of one mailbox that deciding looks at. */
export interface MailboxPolicy {
  readonly mailboxId: number
  readonly limits: Limits
  readonly usesSetAside: boolean
  readonly filtering: boolean
  /** Everything is worked out and nothing but harm is held back. */
  readonly watching?: boolean
}

/** Which of the three limits is out of order, or `null`. */
export function findLimitsProblem({ junk, quarantined, nearCertain }: Limits): 'range' | 'order' | null {
  const inRange = [junk, quarantined, nearCertain].every(n => n >= 1 && n <= 100)
  if (!inRange) return 'range'
  return junk <= quarantined && quarantined <= nearCertain ? null : 'order'
}
