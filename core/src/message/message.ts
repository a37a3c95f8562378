import type { NamedAddress } from '../address/index.ts'
import type { HeaderField } from './headers.ts'

/** What Pendro knows of one RFC 5322 message after reading it; see parse.ts. */
export interface Message {
  readonly headers: readonly HeaderField[]
  /** Every mailbox of every From field. */
  readonly from: readonly NamedAddress[]
  /** Every domain that stands behind an @ in a From field, also where the address itself can't be read. A-labels. */
  readonly fromDomains: readonly string[]
  /** There is one From field, and all of it could be read. */
  readonly fromWhole: boolean
  readonly sender: NamedAddress | null
  readonly replyTo: readonly NamedAddress[]
  readonly to: readonly NamedAddress[]
  readonly cc: readonly NamedAddress[]
  readonly subject: string
  /** Epoch ms from the Date field; `null` when it is missing or unreadable. */
  readonly date: number | null
  readonly messageId: string | null
  /** Message ids of In-Reply-To and References. */
  readonly answers: readonly string[]
  readonly listId: string | null
  /** The plain text part, or the text of the HTML part where there is none. */
  readonly text: string
  readonly html: string | null
  readonly links: readonly Link[]
  /** Text of the HTML part that a reader would not see. */
  readonly hiddenText: string
  readonly attachments: readonly Attachment[]
  /** What was wrong with it, in the MIME library's or our words; empty for a clean message. */
  readonly defects: readonly string[]
}

/** A link as it was written. */
export interface Link {
  readonly text: string
  readonly href: string
  /** A-label host in lower case; '' for mailto: and what can't be read. */
  readonly host: string
}

/** An attachment by its names and by its bytes. */
export interface Attachment {
  readonly name: string
  readonly declaredType: string
  /** MIME type by content; falls back to the declared one for text, which has no mark of its own. */
  readonly trueType: string
  readonly size: number
  readonly contentId: string | null
  readonly inline: boolean
  readonly danger: AttachmentDanger | null
  /** What was found inside, in a few words; '' when nobody looked. */
  readonly note: string
  /** It is named or written to be taken for something else. */
  readonly disguise?: boolean
}

/** What could harm, by kind. */
export type AttachmentDanger =
  | 'executable'
  | 'script'
  | 'macro'
  | 'encrypted-archive'
  | 'unreadable-archive'
  | 'program-in-archive'
  | 'bomb'
  | 'disguised'
