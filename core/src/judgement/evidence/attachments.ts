import { pretence, type Attachment } from '../../message/index.ts'
import type { Weighed } from './context.ts'
import { observe, type Observed, type RawFact } from './evidence.ts'

const archiveTypes = /^application\/(zip|x-7z-compressed|x-rar-compressed|gzip|x-tar)$/

const raw = ({ name, declaredType, trueType, note }: Attachment): readonly RawFact[] => [
  ['', name, 'name'],
  ['', declaredType, 'declared'],
  ['', trueType, 'by-content'],
  ...(note === '' ? [] : [['', note, 'inside'] as const]),
]

/** Attachments that are not harmful by themselves and still speak for or against a message. */
export function weighAttachments({ message: { attachments } }: Weighed): readonly Observed[] {
  const found: Observed[] = []
  const one = (danger: Attachment['danger']) => attachments.find(attachment => attachment.danger === danger)
  const macro = one('macro')
  if (macro) found.push(observe('attachment-macro', { facts: { name: macro.name }, raw: raw(macro) }))
  const encrypted = one('encrypted-archive')
  if (encrypted)
    found.push(
      observe('attachment-encrypted-archive', { facts: { name: encrypted.name }, raw: raw(encrypted) }),
    )
  const unreadable = one('unreadable-archive')
  if (unreadable)
    found.push(
      observe('attachment-unreadable-archive', { facts: { name: unreadable.name }, raw: raw(unreadable) }),
    )
  const archives = attachments.filter(a => archiveTypes.test(a.trueType) && a.danger === null)
  if (archives.length > 0) found.push(observe('attachment-archive', { facts: { count: archives.length } }))
  const lies = attachments.find(one => one.danger === null && pretence(one) !== null)
  if (lies)
    found.push(
      observe('attachment-lies', { facts: { name: lies.name, trueType: lies.trueType }, raw: raw(lies) }),
    )
  return found
}
