import { createHash, sign, type KeyObject } from 'node:crypto'

/**
 * A signer for tests that signs what it is told, right or wrong (RFC 6376 §3.4.2 and §3.4.4: relaxed/relaxed). Written
 * from the text of the RFC and not with the library that verifies; python3-dkim verifies what it makes (see the tests).
 */
export interface Tags {
  readonly [tag: string]: string | undefined
}

const relaxedField = (name: string, value: string) =>
  `${name.toLowerCase()}:${value
    .replace(/\r\n/g, '')
    .replace(/[ \t]+/g, ' ')
    .trim()}`

/** Body with white space at the ends of lines gone, runs of it one space, and no empty lines at its end (§3.4.4). */
function relaxedBody(body: string): string {
  const lines = body.split('\r\n').map(line => line.replace(/[ \t]+/g, ' ').replace(/ $/, ''))
  while (lines.at(-1) === '') lines.pop()
  return lines.length === 0 ? '' : `${lines.join('\r\n')}\r\n`
}

interface Parts {
  readonly fields: readonly { readonly name: string; readonly value: string }[]
  readonly body: string
}

export function partsOf(message: string): Parts {
  const end = message.indexOf('\r\n\r\n')
  const fields = message
    .slice(0, end)
    .split(/\r\n(?![ \t])/)
    .map(line => ({ name: line.slice(0, line.indexOf(':')), value: line.slice(line.indexOf(':') + 1) }))
  return { fields, body: message.slice(end + 4) }
}

const written = (tags: Tags) =>
  Object.entries(tags)
    .flatMap(([name, value]) => (value === undefined ? [] : [`${name}=${value}`]))
    .join('; ')

const signed = (text: string, key: KeyObject, algorithm: string) =>
  algorithm.startsWith('ed25519')
    ? sign(null, createHash('sha256').update(text).digest(), key)
    : sign(algorithm.endsWith('sha1') ? 'sha1' : 'sha256', Buffer.from(text), key)

/** The values of the named fields, from the bottom up, each once (§5.4.2); names that are not there add nothing. */
function chosenFields({ fields }: Parts, names: readonly string[]): string[] {
  const left = [...fields]
  return names.flatMap(name => {
    const at = left.findLastIndex(field => field.name.toLowerCase() === name.toLowerCase().trim())
    const [found] = at < 0 ? [] : left.splice(at, 1)
    return found ? [relaxedField(found.name, found.value)] : []
  })
}

/** The message with a signature in front. Tags given replace the honest ones; `undefined` leaves one out. */
export function signDkim(message: string, key: KeyObject, tags: Tags, field = 'DKIM-Signature'): string {
  const parts = partsOf(message)
  const body = relaxedBody(parts.body)
  const length = tags['l'] === undefined ? undefined : Number(tags['l'])
  const all: Tags = {
    ...(field === 'DKIM-Signature' ? { v: '1' } : {}),
    a: 'rsa-sha256',
    c: 'relaxed/relaxed',
    h: 'from:to:subject:date',
    bh: createHash((tags['a'] ?? '').endsWith('sha1') ? 'sha1' : 'sha256')
      .update(Buffer.from(body, 'utf8').subarray(0, length))
      .digest('base64'),
    ...tags,
    b: '',
  }
  const names = (all['h'] ?? '').split(':')
  const own = relaxedField(field, ` ${written(all)}`)
  const text = [...chosenFields(parts, names), own].join('\r\n')
  const b = signed(text, key, all['a'] ?? 'rsa-sha256').toString('base64')
  const last = 'b' in tags ? tags['b'] : b
  return `${field}: ${written({ ...all, b: last })}\r\n${message}`
}

interface Seal {
  readonly domain: string
  /** What the sealer found out: the rest of ARC-Authentication-Results behind `i=n; `. */
  readonly results: string
  /** Tags of the seal that replace the honest ones. */
  readonly seal?: Tags
  /** The same for the message signature. */
  readonly signature?: Tags
}

const arcFields = ['ARC-Authentication-Results', 'ARC-Message-Signature', 'ARC-Seal'] as const

/** The message with one more set of ARC fields in front (RFC 8617 §5.1). */
export function sealArc(message: string, key: KeyObject, { domain, results, seal, signature }: Seal): string {
  const { fields } = partsOf(message)
  const instanceOf = (value: string) => Number(/i=\s*(\d+)/.exec(value)?.[1] ?? 0)
  const instance =
    Math.max(0, ...fields.filter(({ name }) => name === 'ARC-Seal').map(f => instanceOf(f.value))) + 1
  const common = { d: domain, s: 's', t: '1763625600' }
  const withSignature = signDkim(
    message,
    key,
    { i: String(instance), ...common, ...signature },
    'ARC-Message-Signature',
  )
  const withResults = `ARC-Authentication-Results: i=${instance}; ${results}\r\n${withSignature}`
  const now = partsOf(withResults).fields
  const chain: string[] = []
  for (let i = 1; i <= instance; i += 1)
    for (const name of arcFields) {
      const found = now.find(field => field.name === name && instanceOf(field.value) === i)
      if (found) chain.push(relaxedField(name, found.value))
    }
  const tags: Tags = {
    i: String(instance),
    a: 'rsa-sha256',
    cv: instance === 1 ? 'none' : 'pass',
    ...common,
    ...seal,
    b: '',
  }
  const text = [...chain, relaxedField('ARC-Seal', ` ${written(tags)}`)].join('\r\n')
  const b = signed(text, key, tags['a'] ?? '').toString('base64')
  return `ARC-Seal: ${written({ ...tags, b })}\r\n${withResults}`
}
