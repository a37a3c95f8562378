import { isIP } from 'node:net'
import { dkimVerify } from 'mailauth/lib/dkim/verify.js'
import { spf as checkSpf } from 'mailauth/lib/spf/index.js'
import { parseDomain } from '../address/index.ts'
import type { HeaderField } from '../message/index.ts'
import type { Authentication, AuthResult } from '../senders/index.ts'
import { evaluateDmarc } from './dmarc.ts'
import type { Resolve } from './resolve.ts'

/** The SMTP client that handed the message over. */
export interface Connection {
  readonly ip: string
  readonly helo: string
}

interface Given {
  readonly raw: Uint8Array
  /** A-label; '' when the message names no sender. */
  readonly fromDomain: string
  /** '' for the empty reverse-path. */
  readonly envelopeFrom: string
  readonly connection: Connection
  readonly resolve: Resolve
  /** Epoch ms; signatures that have run out by then do not count. */
  readonly now: number
}

const results: ReadonlySet<string> = new Set([
  'pass',
  'fail',
  'softfail',
  'neutral',
  'none',
  'temperror',
  'permerror',
])
const resultOf = (text: string | undefined): AuthResult =>
  text !== undefined && results.has(text) ? (text as AuthResult) : 'none'
const domainOf = (text: string): string => {
  const domain = parseDomain(text.slice(text.lastIndexOf('@') + 1))
  return domain.ok ? domain.value : ''
}

/** SPF (RFC 7208), DKIM (RFC 6376, RFC 8463) and DMARC (RFC 7489), by our own look-ups. Never throws. */
export async function verifyAuthentication(given: Given): Promise<Authentication> {
  const [spf, dkim] = await Promise.all([verifySpf(given), verifyDkim(given)])
  const parts = { spf: spf.found, dkim: dkim.found }
  const dmarc =
    given.fromDomain === ''
      ? { result: 'none' as const, note: '' }
      : await evaluateDmarc(given.fromDomain, parts, given.resolve)
  return {
    ...parts,
    dmarc: { result: dmarc.result, domain: given.fromDomain },
    notes: ['Checked by Pendro itself', spf.note, ...dkim.notes, dmarc.note].filter(note => note !== ''),
  }
}

async function verifySpf({
  envelopeFrom,
  connection,
  resolve,
}: Given): Promise<{ found: Authentication['spf']; note: string }> {
  const domain = domainOf(envelopeFrom === '' ? connection.helo : envelopeFrom)
  if (isIP(connection.ip) === 0) return { found: { result: 'none', domain }, note: '' }
  try {
    const { status, rr } = await checkSpf({
      sender: envelopeFrom,
      ip: connection.ip,
      helo: connection.helo,
      resolver: resolve,
      mta: 'pendro',
    })
    const result = resultOf(status.result)
    return {
      found: { result, domain },
      note: `SPF of ${domain} for ${connection.ip}: ${result}${rr ? ` (${rr})` : ''}`,
    }
  } catch (error) {
    return { found: { result: 'temperror', domain }, note: `SPF of ${domain}: ${String(error)}` }
  }
}

async function verifyDkim({
  raw,
  resolve,
  now,
}: Given): Promise<{ found: Authentication['dkim']; notes: readonly string[] }> {
  const bytes = Buffer.from(raw.buffer, raw.byteOffset, raw.byteLength)
  if (!/^dkim-signature\s*:/im.test(bytes.subarray(0, 64_000).toString('latin1')))
    return { found: [], notes: [] }
  try {
    const { results: all } = await dkimVerify(bytes, { resolver: resolve, curTime: new Date(now) })
    // A message with a hundred signatures is looked at no longer than one with eight.
    const some = all.filter(({ signingDomain }) => signingDomain).slice(0, 8)
    return {
      found: some.map(({ signingDomain, status }) => ({
        result: resultOf(status.result),
        domain: domainOf(signingDomain ?? ''),
      })),
      notes: some.map(
        ({ signingDomain, selector, algo, status }) =>
          `DKIM d=${signingDomain} s=${selector} ${algo ?? ''}: ${status.result}${status.comment ? ` (${status.comment})` : ''}`,
      ),
    }
  } catch (error) {
    return { found: [{ result: 'temperror', domain: '' }], notes: [`DKIM: ${String(error)}`] }
  }
}

/**
 * The client's address in the topmost Received field that a trusted host wrote (RFC 5321 §4.4): behind a
 * gateway the connection itself is the gateway's. `null` when there is none.
 */
export function findClientIp(
  headers: readonly HeaderField[],
  trustedHosts: ReadonlySet<string>,
): Connection | null {
  for (const { name, value } of headers) {
    if (name.toLowerCase() !== 'received') continue
    const by = /\bby\s+([\w.-]+)/i.exec(value)?.[1]?.toLowerCase() ?? ''
    if (!trustedHosts.has(by)) return null
    const ip = /\[(?:IPv6:)?([0-9a-f.:]+)\]/i.exec(value)?.[1] ?? ''
    const helo = /^from\s+([\w.-]+)/i.exec(value)?.[1] ?? ''
    return isIP(ip) === 0 ? null : { ip, helo }
  }
  return null
}
