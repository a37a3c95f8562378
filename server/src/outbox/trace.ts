import { createHmac, timingSafeEqual } from 'node:crypto'
import { encodeWords } from '@pendro/core/address'
import { headOf, mailDate } from './source.ts'

/** HMAC-SHA-256 (RFC 2104) cut to 96 bits (§5): enough that nobody writes a report about a delivery by guessing. */
const signatureLength = 24

const sign = (key: Buffer, text: string) =>
  createHmac('sha256', key).update(`delivery ${text}`).digest('hex').slice(0, signatureLength)

/** The mark of one copy of a delivery: the same at every try, and ours. */
export function deliveryMark(key: Buffer, id: number, place: string): string {
  const text = `${id}.${place}`
  return `${text}.${sign(key, text)}`
}

/** Which delivery a mark is of; `null` when we have not signed it. */
export function readDeliveryMark(key: Buffer, mark: string): number | null {
  const [, id, place, signature] = /^(\d{1,15})\.([a-z]{1,20})\.([0-9a-f]{24})$/.exec(mark.trim()) ?? []
  if (id === undefined || signature === undefined) return null
  const wanted = Buffer.from(sign(key, `${id}.${place}`))
  return timingSafeEqual(wanted, Buffer.from(signature)) ? Number(id) : null
}

/** The mark of what a colleague sends to one recipient: it is known again if it comes back round. */
export const relayMark = (key: Buffer, id: number): string => deliveryMark(key, id, 'relay')

/** How often a message has gone out by us already: its Received fields with a mark of ours. */
export function countRelays(key: Buffer, raw: Buffer): number {
  const fields = headOf(raw, mostHeader).match(/^received[ \t]{0,10}:.*(?:\r?\n[ \t].*)*/gim) ?? []
  return fields.filter(field => {
    const [, mark] = /\bid (\d{1,15}\.relay\.[0-9a-f]{24})\b/.exec(field) ?? []
    return mark !== undefined && readDeliveryMark(key, mark) !== null
  }).length
}

interface Received {
  readonly ip: string
  readonly helo: string
  readonly by: string
  readonly at: Date
}

interface Onward {
  readonly mark: string
  readonly place: string
  /** The folder of a mail rule, where the place is `moved`. */
  readonly folder: string | null
  /** A mail rule marks it. */
  readonly important: boolean
  readonly received: Received
}

/**
 * Fields of ours on top of a message that goes on. Pendro-Delivery is the same at every try of one copy: a store that
 * suppresses duplicates by it (RFC 7352 can) makes a crash between "accepted" and our commit harmless. Pendro-Place
 * names the kind of folder, Pendro-Folder (RFC 2047) the one a mail rule moves it to, Pendro-Important that one marks it.
 * Received: RFC 5321 §4.4.
 */
export function onwardFields({ mark, place, folder, important, received }: Onward): Buffer {
  const named = place === 'moved' && folder !== null ? `Pendro-Folder: ${encodeWords(folder)}\r\n` : ''
  return Buffer.from(
    `Pendro-Delivery: ${mark}\r\nPendro-Place: ${place === 'released' ? 'inbox' : place}\r\n${named}` +
      (important ? 'Pendro-Important: yes\r\n' : '') +
      receivedField(received, 'SMTP'),
  )
}

/** The field of ours on top of what a colleague sends. */
export const relayField = ({ id, received }: { readonly id: string; readonly received: Received }): Buffer =>
  Buffer.from(receivedField(received, `ESMTP id ${id}`))

/** RFC 5321 §4.4. */
function receivedField({ ip, helo, by, at }: Received, how: string): string {
  const name = /^[\w.:[\]-]{1,255}$/.test(helo) ? helo : 'unknown'
  const literal = ip.includes(':') ? `IPv6:${ip}` : ip
  const from = ip === '' ? '' : `from ${name} ([${literal}])\r\n\t`
  return `Received: ${from}by ${by} (Pendro) with ${how}; ${mailDate(at)}\r\n`
}

/** A message without the fields that are ours to write: a sender's would tell the store where to put it. */
export function withoutOwnFields(raw: Buffer): Buffer {
  const kept: Buffer[] = []
  let from = 0
  let at = 0
  while (at < raw.length) {
    const end = raw.indexOf(0x0a, at)
    const next = end < 0 ? raw.length : end + 1
    const line = raw.subarray(at, Math.min(next, at + 20)).toString('latin1')
    if (/^\r?\n?$/.test(line) && next - at <= 2) break
    if (/^pendro-/i.test(line)) {
      kept.push(raw.subarray(from, at))
      // with the lines it is folded into
      let after = next
      while (after < raw.length && (raw[after] === 0x20 || raw[after] === 0x09)) {
        const fold = raw.indexOf(0x0a, after)
        after = fold < 0 ? raw.length : fold + 1
      }
      from = after
      at = after
    } else at = next
  }
  return kept.length === 0 ? raw : Buffer.concat([...kept, raw.subarray(from)])
}

/** Bytes that are searched for Received fields. */
const mostHeader = 512 * 1024

/** How often a message was handed on already (RFC 5321 §6.3): its Received fields. */
export const countHops = (raw: Buffer): number =>
  headOf(raw, mostHeader).match(/^received[ \t]{0,10}:/gim)?.length ?? 0
