import { BlockList, isIP, isIPv6 } from 'node:net'
import type { HeaderField } from '../message/index.ts'
import type { Authentication } from '../senders/index.ts'
import { withoutComments } from '../text/index.ts'
import { parseAuthenticationResults, toAuthentication } from './results.ts'

/** The SMTP client that handed the message over. */
export interface Connection {
  readonly ip: string
  readonly helo: string
}

/** Whose word counts: the networks gateways connect from, and the names they write into what they add. */
export interface Trust {
  /** authserv-ids (RFC 8601 §2.5). */
  readonly trustedHosts: readonly string[]
  /** 'address' or 'address/bits', IPv4 or IPv6. None: nobody's word counts. */
  readonly gateways?: readonly string[]
}

/** Whose word counts. */
export interface Trusted {
  /** What a trusted gateway found out, or `null`: then Pendro checks by itself. */
  readonly authentication: Authentication | null
  /** Who handed the message to us, or to the gateway. */
  readonly client: Connection
}

/**
 * What a listed gateway says of a message. Nothing else does: any sender can write these fields. Only the first field
 * of a trusted host counts, for all methods, and only above the topmost Received that this host wrote (RFC 8601 §5).
 */
export function readTrusted(
  headers: readonly HeaderField[],
  connection: Connection,
  { trustedHosts, gateways = [] }: Trust,
): Trusted {
  if (!isInNetworks(connection.ip, gateways)) return { authentication: null, client: connection }
  const hosts = new Set(trustedHosts.map(plainHost))
  const client = findClient(headers, hosts, gateways) ?? { ip: '', helo: '' }
  return { authentication: findResults(headers, hosts), client }
}

const plainHost = (host: string) => host.toLowerCase().replace(/\.$/, '')

function findResults(headers: readonly HeaderField[], hosts: ReadonlySet<string>): Authentication | null {
  for (const [at, { name, value, longerThan }] of headers.entries()) {
    if (name.toLowerCase() !== 'authentication-results' || longerThan !== undefined) continue
    const read = parseAuthenticationResults(value)
    if (read === null || !hosts.has(read.authservId)) continue
    const own = headers.findIndex(
      field => field.name.toLowerCase() === 'received' && receivedBy(field.value) === read.authservId,
    )
    if (own < 0 || own < at) return null
    return { ...toAuthentication(read), notes: [`Authentication-Results: ${value.slice(0, 600)}`] }
  }
  return null
}

/** The name after 'by' in a Received field (RFC 5321 §4.4), lower case. */
function receivedBy(value: string): string {
  return plainHost(/(?:^|\s)by\s+([\w.-]{1,255})/i.exec(withoutComments(value.slice(0, 2000)))?.[1] ?? '')
}

/**
 * The client's address from the Received fields that trusted hosts wrote, from the top down: the TCP-info in brackets
 * (RFC 5321 §4.4), which the server saw, never the name the client gave itself. Hops from loopback and from other
 * gateways are passed over; `null` when no trusted host names one.
 */
function findClient(
  headers: readonly HeaderField[],
  trustedHosts: ReadonlySet<string>,
  gateways: readonly string[],
): Connection | null {
  for (const { name, value } of headers) {
    if (name.toLowerCase() !== 'received') continue
    if (!trustedHosts.has(receivedBy(value))) return null
    const { helo, ip } = readFrom(value)
    if (ip === '') return null
    if (isLoopback(ip) || isInNetworks(ip, gateways)) continue
    return { ip, helo }
  }
  return null
}

/**
 * From-domain of RFC 5321 §4.4: `from EHLO-name (name [address] …)`. What the client called itself is one word; the
 * address counts only where the server puts it, first in the parentheses behind that word, alone or after one name. A
 * client that calls itself by an address, in either place, is not read for it.
 */
function readFrom(value: string): Connection {
  const [, helo = '', inside = ''] = /^\s*from\s+(\S{1,255})\s+\(([^()]*)/i.exec(value.slice(0, 2000)) ?? []
  const [first = '', second = ''] = inside.trim().split(/\s+/)
  // '(HELO name)' is how some servers write what the client called itself (common practice).
  const ip = literal(first) || (/^(?:helo|ehlo)$/i.test(first) ? '' : literal(second))
  return { helo: isHostName(helo) ? helo : '', ip }
}

/** The address of an address-literal (RFC 5321 §4.1.3); '' for anything else. */
function literal(word: string): string {
  const [, ip = ''] = /^\[(?:IPv6:)?([0-9a-f.:]{2,45})\]$/i.exec(word) ?? []
  return isIP(ip) === 0 ? '' : ip
}

const isHostName = (text: string) => /^[\w.-]+$/.test(text)

const isLoopback = (ip: string) => /^127\.|^::1$|^::ffff:127\./i.test(ip)

interface Networks {
  readonly list: BlockList
  /** Of addresses that were asked about before: asking the list costs as much as reading a header. */
  readonly answers: Map<string, boolean>
}

const lists = new Map<string, Networks>()
const mostAnswers = 1000

/** Whether an address is in one of the networks; a network that can't be read holds nobody. */
export function isInNetworks(ip: string, networks: readonly string[]): boolean {
  if (networks.length === 0) return false
  const plain = ip.replace(/^::ffff:(?=\d+\.)/i, '')
  if (isIP(plain) === 0) return false
  const { list, answers } = listOf(networks)
  const known = answers.get(plain)
  if (known !== undefined) return known
  const is = list.check(plain, isIPv6(plain) ? 'ipv6' : 'ipv4')
  // The same few servers hand over nearly all mail; whoever comes from everywhere only makes it begin anew.
  if (answers.size >= mostAnswers) answers.clear()
  answers.set(plain, is)
  return is
}

function listOf(networks: readonly string[]): Networks {
  const key = networks.join(' ')
  const known = lists.get(key)
  if (known) return known
  const list = new BlockList()
  for (const network of networks) addNetwork(list, network)
  if (lists.size > 50) lists.clear()
  const made = { list, answers: new Map<string, boolean>() }
  lists.set(key, made)
  return made
}

/** Whether a text is an address or a network: '192.0.2.0/24', '2001:db8::/32', '192.0.2.7'. */
export function isNetwork(text: string): boolean {
  const [address = '', bits, more] = text.split('/')
  const family = isIP(address)
  if (family === 0 || more !== undefined) return false
  return bits === undefined || (/^\d{1,3}$/.test(bits) && Number(bits) <= (family === 6 ? 128 : 32))
}

function addNetwork(list: BlockList, text: string): void {
  if (!isNetwork(text)) return
  const [address = '', bits] = text.split('/')
  const family = isIPv6(address) ? 'ipv6' : 'ipv4'
  list.addSubnet(address, bits === undefined ? (family === 'ipv6' ? 128 : 32) : Number(bits), family)
}
