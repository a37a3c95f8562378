import { displayDomain, parseDomain, type NamedAddress } from '../address/index.ts'
import type { AttachmentKind, RuleView } from '../mail-rules/index.ts'
import type { Attachment, Message } from './message.ts'

type Readable = Pick<Message, 'from' | 'to' | 'cc' | 'subject' | 'listId' | 'text' | 'attachments'>

/** So much of a text is compared: rules are asked while the sender's server waits. */
const longestText = 32_000
/** A message to more than these is no colleague's own mail. */
const mostNamed = 500
const mostAttachments = 200

/** What mail rules look at in a message of so many bytes. */
export function ruleView(message: Readable, size: number): RuleView {
  return {
    from: message.from.slice(0, mostNamed).flatMap(namesOf),
    to: [...message.to, ...message.cc].slice(0, mostNamed).flatMap(namesOf),
    subject: message.subject,
    list: message.listId === null ? [] : bothForms(message.listId),
    body: message.text.slice(0, longestText),
    attachments: message.attachments
      .filter(({ inline }) => !inline)
      .slice(0, mostAttachments)
      .map(attachment => ({ name: attachment.name, kind: kindOf(attachment) })),
    size,
  }
}

/** Somebody is named by display name or by address; either may be what a rule asks for. */
export const namesOf = ({ name, text }: Pick<NamedAddress, 'name' | 'text'>): readonly string[] =>
  name === '' ? bothForms(text) : [name, ...bothForms(text)]

/** An address or a domain as DNS has it and as people write it (RFC 5890): a rule may have been written with either. */
function bothForms(text: string): readonly string[] {
  const at = text.lastIndexOf('@') + 1
  const domain = parseDomain(text.slice(at))
  if (!domain.ok || !domain.value.includes('xn--')) return [text]
  return [text.slice(0, at) + domain.value, text.slice(0, at) + displayDomain(domain.value)]
}

/** By what its content is (RFC 2046 and the registered types); names prove nothing. */
const kindPatterns: readonly (readonly [AttachmentKind, RegExp])[] = [
  ['pdf', /^application\/pdf$/],
  ['calendar', /^text\/calendar$/],
  ['message', /^message\/|^application\/(?:vnd\.ms-outlook|ms-tnef)$/],
  ['picture', /^image\//],
  ['sound', /^audio\//],
  ['film', /^video\//],
  ['table', /spreadsheet|ms-excel|^text\/(?:csv|tab-separated-values)$/],
  ['slides', /presentation|ms-powerpoint/],
  ['document', /wordprocessing|msword|opendocument\.text|^application\/rtf$|^text\/rtf$/],
  ['program', /x-msdownload|x-dosexec|x-executable|x-mach-binary|java-archive|portable-executable/],
  ['archive', /zip|x-7z|x-rar|vnd\.rar|x-tar|x-bzip|x-xz|gzip/],
]

function kindOf({ trueType, danger }: Attachment): AttachmentKind | null {
  if (danger === 'executable' || danger === 'script') return 'program'
  const type = trueType.toLowerCase()
  return kindPatterns.find(([, pattern]) => pattern.test(type))?.[0] ?? null
}
