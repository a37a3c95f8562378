/** What was found under a name: texts or hosts, nothing, or that nobody could say. */
export type Found<T> =
  | { readonly state: 'found'; readonly values: readonly T[] }
  | { readonly state: 'none' }
  | { readonly state: 'failed' }

/** A mail exchanger (RFC 5321 §5.1). */
export interface Exchanger {
  readonly exchange: string
  readonly priority: number
}

/** What was looked up of a domain. */
export interface DomainRecords {
  readonly mx: Found<Exchanger>
  /** Its TXT records. */
  readonly txt: Found<string>
  /** TXT records of `_dmarc` below it. */
  readonly dmarc: Found<string>
  /** TXT records of each selector's `_domainkey`. */
  readonly keys: readonly { readonly selector: string; readonly txt: Found<string> }[]
}

/** Where its mail goes. `null-mx`: it says that it takes none (RFC 7505). */
export type MxState = 'found' | 'none' | 'null-mx' | 'unknown'
/**
 * Who may send for it (RFC 7208): by the last word of its record, for whoever it does not name. `elsewhere`: another domain's record
 * says it (`redirect`), `open`: everybody may, `several` and `broken`: it counts for nothing.
 */
export type SpfState =
  | 'strict'
  | 'soft'
  | 'neutral'
  | 'open'
  | 'elsewhere'
  | 'several'
  | 'broken'
  | 'none'
  | 'unknown'
/** What receivers are asked to do with what fails (RFC 7489 §6.3). */
export type DmarcState = 'reject' | 'quarantine' | 'watching' | 'several' | 'broken' | 'none' | 'unknown'
/** A key of DKIM (RFC 6376 §3.6.1). `revoked`: its key is empty. */
export type KeyState = 'found' | 'revoked' | 'testing' | 'broken' | 'none' | 'unknown'

/** What a domain says of its mail. */
export interface DomainSays {
  readonly mx: { readonly state: MxState; readonly hosts: readonly string[] }
  readonly spf: { readonly state: SpfState; readonly text: string }
  readonly dmarc: {
    readonly state: DmarcState
    readonly text: string
    /** Per cent of failing mail it is asked for. */
    readonly share: number
  }
  readonly keys: readonly { readonly selector: string; readonly state: KeyState }[]
}

const longest = 500

/** Reads what was looked up of one domain. */
export function readDomain({ mx, txt, dmarc, keys }: DomainRecords): DomainSays {
  return {
    mx: readMx(mx),
    spf: readSpf(txt),
    dmarc: readDmarc(dmarc),
    keys: keys.map(({ selector, txt: found }) => ({ selector, state: readKey(found) })),
  }
}

function readMx(found: Found<Exchanger>): DomainSays['mx'] {
  if (found.state === 'failed') return { state: 'unknown', hosts: [] }
  if (found.state === 'none') return { state: 'none', hosts: [] }
  const hosts = [...found.values]
    .sort((a, b) => a.priority - b.priority)
    .map(({ exchange }) => exchange.toLowerCase().replace(/\.$/, ''))
  return hosts.length === 1 && hosts[0] === '' ? { state: 'null-mx', hosts: [] } : { state: 'found', hosts }
}

/** RFC 7208 §4.5: the records that begin with this version, and no others. */
const isSpf = (text: string) => /^v=spf1(?: |$)/i.test(text)

const lastWords: Readonly<Record<string, SpfState>> = {
  '-': 'strict',
  '~': 'soft',
  '?': 'neutral',
  '+': 'open',
}

function readSpf(found: Found<string>): DomainSays['spf'] {
  if (found.state === 'failed') return { state: 'unknown', text: '' }
  const records = found.state === 'none' ? [] : found.values.filter(isSpf)
  const [record = ''] = records
  const text = record.slice(0, longest)
  if (records.length === 0) return { state: 'none', text: '' }
  if (records.length > 1) return { state: 'several', text }
  const terms = record
    .split(/ +/)
    .slice(1)
    .filter(term => term !== '')
  if (!terms.every(isTerm)) return { state: 'broken', text }
  const all = terms.map(term => /^([-~?+]?)all$/i.exec(term)).find(match => match !== null)
  // Without a last word the answer is neutral (§4.7); "all" makes a redirect count for nothing (§6.1).
  if (all) return { state: lastWords[all[1] || '+'] ?? 'neutral', text }
  return { state: terms.some(term => /^redirect=/i.test(term)) ? 'elsewhere' : 'neutral', text }
}

/** RFC 7208 §12, as far as it says whether a receiver would give up on the record. */
const isTerm = (term: string): boolean =>
  /^[-~?+]?(?:all|include:\S+|(?:a|mx)(?::[^\s/]+)?(?:\/\d{1,2})?(?:\/\/\d{1,3})?|ptr(?::\S+)?|ip4:[\d.]+(?:\/\d{1,2})?|ip6:[\da-f:.]+(?:\/\d{1,3})?|exists:\S+)$/i.test(
    term,
  ) || /^[a-z][\w.-]*=\S*$/i.test(term)

function readDmarc(found: Found<string>): DomainSays['dmarc'] {
  const said = (state: DmarcState, text = '', share = 100) => ({ state, text: text.slice(0, longest), share })
  if (found.state === 'failed') return said('unknown')
  const records =
    found.state === 'none' ? [] : found.values.filter(text => /^v\s*=\s*DMARC1\s*(?:;|$)/.test(text))
  const [record = ''] = records
  if (records.length === 0) return said('none')
  if (records.length > 1) return said('several', record)
  const tags = new Map(
    record.split(';').map(part => {
      const [name = '', ...value] = part.split('=')
      return [name.trim().toLowerCase(), value.join('=').trim()]
    }),
  )
  const share = /^(?:\d{1,2}|100)$/.test(tags.get('pct') ?? '') ? Number(tags.get('pct')) : 100
  switch (tags.get('p')?.toLowerCase()) {
    case 'reject':
      return said('reject', record, share)
    case 'quarantine':
      return said('quarantine', record, share)
    case 'none':
      return said('watching', record, share)
    default:
      // RFC 7489 §6.6.3: without a policy it asks for reports at most.
      return said(tags.has('rua') ? 'watching' : 'broken', record, share)
  }
}

function readKey(found: Found<string>): KeyState {
  if (found.state === 'failed') return 'unknown'
  if (found.state === 'none' || found.values.length === 0) return 'none'
  const [record = ''] = found.values
  const tags = new Map(
    record.split(';').map(part => {
      const [name = '', ...value] = part.split('=')
      return [name.trim().toLowerCase(), value.join('=').replace(/\s+/g, '')]
    }),
  )
  const version = tags.get('v')
  if ((version !== undefined && version !== 'DKIM1') || !tags.has('p')) return 'broken'
  if (tags.get('p') === '') return 'revoked'
  return (tags.get('t') ?? '').split(':').includes('y') ? 'testing' : 'found'
}
