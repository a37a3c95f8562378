import { leavesOf } from './attachments.ts'
import { findHeader } from './headers.ts'
import { isBranch, readMime } from './mime.ts'

/** What a delivery status notification says of one recipient (RFC 3464 §2.3). */
export interface RecipientStatus {
  /** Address without its type: 'anna@x.example' of 'rfc822; anna@x.example'. */
  readonly recipient: string
  readonly action: 'failed' | 'delayed' | 'delivered' | 'relayed' | 'expanded'
  /** Enhanced status code (RFC 3463). */
  readonly status: string
  /** The words of the server that decided, without their type; '' when it gave none. */
  readonly diagnostic: string
}

/** A delivery status notification, read (RFC 3464). */
export interface StatusNotification {
  readonly reportingHost: string
  readonly recipients: readonly RecipientStatus[]
  /** Header fields of the message it is about, as far as they came back. */
  readonly returned: ReadonlyMap<string, string>
}

/** Reads a delivery status notification; `null` for any other message, and for one that tells of no recipient. */
export async function readStatusNotification(raw: Uint8Array): Promise<StatusNotification | null> {
  const { headers, root } = await readMime(Buffer.from(raw), { maxParts: 50 }).catch(() => ({
    headers: [],
    root: null,
  }))
  if (root === null || !isBranch(root) || root.multipart !== 'report') return null
  const type = findHeader(headers, 'Content-Type') ?? ''
  if (!/report-type\s{0,5}=\s{0,5}"?delivery-status"?/i.test(type)) return null
  const leaves = leavesOf(root)
  const status = leaves.find(leaf => leaf.type === 'message/delivery-status')
  if (!status) return null
  const [message, ...groups] = fieldGroups(status.content.toString('utf8'))
  const recipients = groups.flatMap(readRecipient)
  if (recipients.length === 0) return null
  const original = leaves.find(leaf => /^(message\/rfc822|text\/rfc822-headers)$/.test(leaf.type))
  return {
    reportingHost: untyped(message?.get('reporting-mta') ?? ''),
    recipients,
    returned: fieldGroups(original?.content.toString('latin1') ?? '')[0] ?? new Map(),
  }
}

/** Groups of fields with empty lines between them; names in lower case, folded values made whole. */
function fieldGroups(text: string): readonly ReadonlyMap<string, string>[] {
  return text
    .slice(0, 200_000)
    .replace(/\r\n?/g, '\n')
    .split(/\n[ \t]*\n/)
    .map(group =>
      // The first of two fields of a name counts: a second one is what somebody added.
      firstOfEach(
        group
          .replace(/\n[ \t]+/g, ' ')
          .split('\n')
          .flatMap(line => {
            const colon = line.indexOf(':')
            return colon > 0
              ? [[line.slice(0, colon).trim().toLowerCase(), line.slice(colon + 1).trim()] as const]
              : []
          }),
      ),
    )
    .filter(fields => fields.size > 0)
}

function firstOfEach(fields: readonly (readonly [string, string])[]): ReadonlyMap<string, string> {
  const found = new Map<string, string>()
  for (const [name, value] of fields) if (!found.has(name)) found.set(name, value)
  return found
}

/** 'smtp; 550 no' is '550 no' (RFC 3464 §2.1.2); comments stay, they are for people. */
const untyped = (value: string) => value.replace(/^[\w-]+\s*;\s*/, '').trim()

const actions = ['failed', 'delayed', 'delivered', 'relayed', 'expanded'] as const

function readRecipient(fields: ReadonlyMap<string, string>): readonly RecipientStatus[] {
  const action = actions.find(one => one === fields.get('action')?.split(/[\s(]/)[0]?.toLowerCase())
  const recipient = untyped(fields.get('original-recipient') ?? fields.get('final-recipient') ?? '')
  if (!action || recipient === '') return []
  const status = /\d\.\d{1,3}\.\d{1,3}/.exec(fields.get('status') ?? '')?.[0] ?? ''
  return [{ recipient, action, status, diagnostic: untyped(fields.get('diagnostic-code') ?? '') }]
}
