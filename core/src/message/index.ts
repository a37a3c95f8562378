export { isWorthInspecting } from './attachments.ts'
export { harmless, harmlessLine, hidesCharacters, visibleName } from '../text/index.ts'
export type { Attachment, AttachmentDanger, Link, Message } from './message.ts'
export {
  attachmentContents,
  embeddedPictures,
  findAttachmentContent,
  maxParts,
  parseMessage,
  type MessageProblem,
} from './parse.ts'
export { allHeaders, findHeader, readDate, readListId, type HeaderField } from './headers.ts'
export { pdfText } from './pdf-text.ts'
export { linkHost, readHtml } from './html-text.ts'
export { safeTextView, safeView, shownTarget, type SafeView } from './safe-view.ts'
export { readStatusReport, type RecipientStatus, type StatusReport } from './dsn.ts'
