import { findOrganisationalDomain, isSameOrganisation } from '../address/index.ts'
import type { Authentication, AuthResult } from '../senders/index.ts'
import { isPermanent, isVoid, type Resolve } from './resolve.ts'

/** How close domains must be (RFC 7489 §3.1). */
export type AlignmentMode = 'strict' | 'relaxed'

/** The parts of a DMARC record (RFC 7489 §6.3) that the result depends on. */
export interface DmarcRecord {
  readonly dkim: AlignmentMode
  readonly spf: AlignmentMode
  readonly policy: string
  readonly text: string
}

/** Whether an authenticated domain speaks for the From domain (RFC 7489 §3.1). Both as A-labels. */
export function isAligned(from: string, authenticated: string, mode: AlignmentMode): boolean {
  return mode === 'strict' ? from === authenticated : isSameOrganisation(from, authenticated)
}

/** A record of the form 'v=DMARC1; p=…'; `null` for anything else (RFC 7489 §6.3: v comes first, exactly so). */
export function parseDmarcRecord(text: string): DmarcRecord | null {
  const [first = '', ...rest] = text.split(';').map(tag => tag.trim())
  if (!/^v\s*=\s*DMARC1$/.test(first)) return null
  const tags = new Map(
    rest.flatMap(tag => {
      const [name, value] = tag.split('=', 2).map(part => part.trim().toLowerCase())
      return name && value ? [[name, value] as const] : []
    }),
  )
  const mode = (name: string): AlignmentMode => (tags.get(name) === 's' ? 'strict' : 'relaxed')
  return { dkim: mode('adkim'), spf: mode('aspf'), policy: tags.get('p') ?? 'none', text: text.slice(0, 500) }
}

type Found = { readonly record: DmarcRecord | null } | { readonly failed: string }

/** Policy discovery of RFC 7489 §6.6.3: the domain itself, then its organisational domain. */
async function findRecord(domain: string, resolve: Resolve): Promise<Found> {
  const organisation = findOrganisationalDomain(domain)
  for (const name of new Set([domain, ...(organisation === null ? [] : [organisation])])) {
    try {
      const texts = ((await resolve(`_dmarc.${name}`, 'TXT')) as string[][]).map(parts => parts.join(''))
      const records = texts.flatMap(text => parseDmarcRecord(text) ?? [])
      // Several records are as good as none (§6.6.3 step 5).
      if (records.length > 0) return { record: records.length === 1 ? (records[0] ?? null) : null }
    } catch (error) {
      // A name that can't be asked for has no record.
      if (!isVoid(error) && !isPermanent(error))
        return { failed: (error as { code?: string }).code ?? 'unknown' }
    }
  }
  return { record: null }
}

/**
 * DMARC for the From domain. Alignment is decided here and not by the library that checks the signatures:
 * its strict mode compares organisational domains (seen in mailauth 4.13.3, lib/tools.js, getAlignment).
 */
export async function evaluateDmarc(
  from: string,
  { spf, dkim }: Pick<Authentication, 'spf' | 'dkim'>,
  resolve: Resolve,
): Promise<{ readonly result: AuthResult; readonly note: string }> {
  const found = await findRecord(from, resolve)
  if ('failed' in found) return { result: 'temperror', note: `DMARC ${from}: temperror (${found.failed})` }
  const { record } = found
  if (record === null) return { result: 'none', note: `DMARC ${from}: none` }
  const note = `DMARC ${from}: ${record.text}`
  const bySpf = spf.result === 'pass' && isAligned(from, spf.domain, record.spf)
  const byDkim = dkim.some(({ result, domain }) => result === 'pass' && isAligned(from, domain, record.dkim))
  if (bySpf || byDkim) return { result: 'pass', note }
  // What could not be finished might have passed, if it speaks for this domain at all: anybody can add a signature
  // of their own whose key is never found.
  const mightPass = (one: { result: AuthResult; domain: string }, mode: AlignmentMode) =>
    one.result === 'temperror' && one.domain !== '' && isAligned(from, one.domain, mode)
  const unfinished = mightPass(spf, record.spf) || dkim.some(one => mightPass(one, record.dkim))
  return { result: unfinished ? 'temperror' : 'fail', note }
}
