import { lookup as systemLookup } from 'node:dns'
import type { LookupFunction } from 'node:net'
import ipaddr from 'ipaddr.js'

/** A name or an address that is not of the public internet. */
export class NotPublic extends Error {}

/** Whether an address is one of the public internet: no loopback, private, link-local, reserved or mapped one. */
export function isPublicAddress(text: string): boolean {
  if (!ipaddr.isValid(text)) return false
  return ipaddr.process(text).range() === 'unicast'
}

/**
 * Checked where the connection is made and not before: a name that answers differently the second time
 * (DNS rebinding) is refused all the same.
 */
export const publicLookup: LookupFunction = (host, options, callback) => {
  systemLookup(host, { ...options, all: true }, (error, addresses) => {
    if (error) return callback(error, '', 0)
    const first = addresses.find(({ address }) => isPublicAddress(address))
    if (!first || addresses.some(({ address }) => !isPublicAddress(address)))
      return callback(new NotPublic(), '', 0)
    if (options.all) return callback(null, [first])
    callback(null, first.address, first.family)
  })
}
