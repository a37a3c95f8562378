import { createHash, createPrivateKey, createPublicKey, type KeyObject } from 'node:crypto'

export const selector = 'p2026'

const keys = new Map<string, KeyObject>()

/** Ed25519 (RFC 8463) keys from the domain's name: made up, the same each time, and worth nothing. */
export function signingKey(host: string): { readonly selector: string; readonly privateKey: KeyObject } {
  const known = keys.get(host)
  if (known) return { selector, privateKey: known }
  const seed = createHash('sha256').update(`made-up key of ${host}`).digest()
  const pkcs8 = Buffer.concat([Buffer.from('302e020100300506032b657004220420', 'hex'), seed])
  const privateKey = createPrivateKey({ key: pkcs8, format: 'der', type: 'pkcs8' })
  keys.set(host, privateKey)
  return { selector, privateKey }
}

/** For the zone: RFC 8463 §4. */
export function publicKeyText(host: string): string {
  const der = createPublicKey(signingKey(host).privateKey).export({ format: 'der', type: 'spki' })
  // RFC 8463 §4: the bare 32 bytes, without the wrapping.
  return der.subarray(-32).toString('base64')
}

/** The address a made-up host sends from: one of the documentation ranges (RFC 5737), by its name. */
export function hostAddress(host: string): string {
  const [byte = 0] = createHash('sha256').update(host).digest()
  return `203.0.113.${1 + (byte % 250)}`
}
