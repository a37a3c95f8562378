import { heldCauses } from './held.ts'
import { junkKinds } from './junk.ts'
import { domain, secondDomain, trustedHost } from './organisation.ts'
import { hostAddress, publicKeyText, selector } from './signing.ts'
import { bulletins, correspondents } from './wanted.ts'

/** Structurally the zone of the DNS stand-in. */
export type DemoZone = ReadonlyMap<string, DemoRecords>

interface DemoRecords {
  readonly TXT?: readonly string[]
  readonly A?: readonly string[]
  readonly MX?: readonly string[]
}

const missing = (code: string, name: string) => Object.assign(new Error(`${code} ${name}`), { code })

/** Answers from the zone in the form of Node's `dns.promises.resolve`, without a network. */
export function resolveFrom(zone: DemoZone): (name: string, type: string) => Promise<unknown> {
  return async (name, type) => {
    const records = zone.get(name.toLowerCase())
    if (!records) throw missing('ENOTFOUND', name)
    const found = type === 'TXT' ? records.TXT?.map(text => [text]) : type === 'A' ? records.A : undefined
    if (!found || found.length === 0) throw missing('ENODATA', name)
    return found
  }
}

/** SPF, DKIM and DMARC of everybody in the demo who has any. */
export function makeZone(): DemoZone {
  const zone = new Map<string, DemoRecords>()
  const proven = [
    domain,
    secondDomain,
    ...correspondents.filter(({ proof }) => proof === undefined || proof === 'pass').map(who => who.domain),
    ...bulletins.map(({ address }) => address.split('@')[1] ?? ''),
    'bargainfleet.example',
  ]
  for (const host of new Set(proven)) addProven(zone, host)
  for (const who of correspondents.filter(({ proof }) => proof === 'aligned')) {
    zone.set(who.domain, {
      TXT: [`v=spf1 ip4:${hostAddress(who.domain)} -all`],
      A: [hostAddress(who.domain)],
    })
  }
  const unproven = [
    ...heldCauses.map(({ draft }) => draft.from.address),
    ...junkKinds.flatMap(({ from }) => from.map(([, address]) => address)),
  ]
  for (const address of unproven) {
    const host = address.split('@')[1] ?? ''
    if (!host.includes('{') && host !== '' && !zone.has(host)) zone.set(host, { A: [hostAddress(host)] })
  }
  return zone
}

function addProven(zone: Map<string, DemoRecords>, host: string): void {
  const mail = host === domain || host === secondDomain ? { MX: [trustedHost] } : {}
  zone.set(host, { TXT: [`v=spf1 ip4:${hostAddress(host)} -all`], A: [hostAddress(host)], ...mail })
  zone.set(`${selector}._domainkey.${host}`, { TXT: [`v=DKIM1; k=ed25519; p=${publicKeyText(host)}`] })
  zone.set(`_dmarc.${host}`, { TXT: ['v=DMARC1; p=quarantine'] })
}
