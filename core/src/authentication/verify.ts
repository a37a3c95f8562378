import { isIP } from 'node:net'
import { covers, parseDomain } from '../address/index.ts'
import type { Authentication } from '../senders/index.ts'
import { verifyDkim, type ArcResult } from './dkim.ts'
import { evaluateDmarc } from './dmarc.ts'
import { boundedResolver, type Resolve } from './resolve.ts'
import { checkSpf } from './spf.ts'
import type { Connection } from './trust.ts'

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
  /** Domains whose ARC seals count (RFC 8617); none by default. */
  readonly arcSealers?: readonly string[]
}

/** SPF (RFC 7208), DKIM (RFC 6376, RFC 8463), DMARC (RFC 7489) and ARC (RFC 8617), by our own look-ups. Never throws. */
export async function verifyAuthentication(given: Given): Promise<Authentication> {
  const bounded = { ...given, resolve: boundedResolver(given.resolve) }
  const [spf, { signatures, arc }] = await Promise.all([verifySpf(bounded), verifyDkim(bounded)])
  const parts = {
    spf: spf.found,
    dkim: signatures.flatMap(({ result, domain }) => (domain === '' ? [] : [{ result, domain }])),
  }
  const dmarc =
    given.fromDomain === ''
      ? { result: 'none' as const, note: '' }
      : await evaluateDmarc(given.fromDomain, parts, bounded.resolve)
  const own: Authentication = {
    by: 'pendro',
    ...parts,
    dmarc: { result: dmarc.result, domain: given.fromDomain },
    notes: [spf.note, ...signatures.map(({ note }) => note), dmarc.note, arcNote(arc)].filter(
      note => note !== '',
    ),
  }
  return arc === null ? own : withArc(own, arc, given)
}

/** The chain is shown; it counts only when whoever sealed it last is one the organisation names. */
function withArc(
  own: Authentication,
  arc: ArcResult,
  { arcSealers = [], fromDomain }: Given,
): Authentication {
  const shown = { ...own, arc: { result: arc.result, sealer: arc.sealer } }
  const counts =
    own.dmarc.result !== 'pass' &&
    arc.result === 'pass' &&
    arcSealers.some(named => covers(named, arc.sealer)) &&
    arc.claims?.dmarc.result === 'pass' &&
    arc.claims.dmarc.domain === fromDomain
  return counts ? { ...shown, dmarc: { result: 'pass', domain: fromDomain } } : shown
}

const arcNote = (arc: ArcResult | null) => (arc === null ? '' : `ARC d=${arc.sealer}: ${arc.result}`)

async function verifySpf({
  envelopeFrom,
  connection,
  resolve,
}: Given): Promise<{ found: Authentication['spf']; note: string }> {
  const at = envelopeFrom.lastIndexOf('@')
  const parsed = parseDomain(envelopeFrom === '' ? connection.helo : envelopeFrom.slice(at + 1))
  const domain = parsed.ok ? parsed.value : ''
  if (isIP(connection.ip) === 0 || domain === '') return { found: { result: 'none', domain }, note: '' }
  const { result, why } = await checkSpf({
    domain,
    localPart: at > 0 ? envelopeFrom.slice(0, at) : 'postmaster',
    helo: connection.helo,
    ip: connection.ip,
    resolve,
  })
  return {
    found: { result, domain },
    note: `SPF ${domain}, ${connection.ip}: ${result}${why ? ` (${why.slice(0, 200)})` : ''}`,
  }
}
