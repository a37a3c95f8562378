import { isInNetworks } from '@pendro/core/authentication'
import type { PeerLimits } from '../db/models/shapes.ts'
import type { DoorName } from '../traffic/traffic.ts'
import { usualPeers, type Organisation } from '../db/organisation.ts'

/** Whoever connects, and what they may hand over. */
export interface Peer {
  readonly isAdmitted: boolean
  readonly limits: PeerLimits
}

/** `storeAddress`: of the store that mail is handed on to; its reports come back by the same door. Nobody is turned away before the first set-up. */
export function peerOf(
  organisation: Organisation | null,
  ip: string,
  storeAddress: string | undefined,
): Peer {
  const { others, listed, unlisted } = organisation?.peers ?? usualPeers
  const { gateways = [], stores = [] } = organisation?.policy ?? {}
  if (ip === storeAddress || isInNetworks(ip, [...gateways, ...stores]))
    return { isAdmitted: true, limits: listed }
  return { isAdmitted: others === 'limited', limits: unlisted }
}

/** Whether a door counts an address as one of ours. */
export function mayComeIn(organisation: Organisation | null, door: DoorName, ip: string): boolean {
  if (door.startsWith('submission')) return isInNetworks(ip, organisation?.outgoing?.servers ?? [])
  const { gateways = [], stores = [] } = organisation?.policy ?? {}
  return isInNetworks(ip, [...gateways, ...stores])
}

const minute = 60_000
/** Addresses counted at a time; hostile mail could come from any number. */
const mostCounted = 20_000

/** Counts messages by address and minute: whether one more may come. Each process counts for itself. */
export function createRates(): (ip: string, perMinute: number, now: number) => boolean {
  let began = 0
  let counts = new Map<string, number>()
  return (ip, perMinute, now) => {
    if (now - began >= minute || now < began || counts.size >= mostCounted) {
      began = now
      counts = new Map()
    }
    const n = counts.get(ip) ?? 0
    if (n >= perMinute) return false
    counts.set(ip, n + 1)
    return true
  }
}
