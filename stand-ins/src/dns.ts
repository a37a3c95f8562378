import dgram from 'node:dgram'
import type { AddressInfo } from 'node:net'
import dnsPacket, { type Answer, type Question } from 'dns-packet'

/** Records of one name: text strings, or addresses. A name that is not in the zone does not exist. */
export interface ZoneRecords {
  readonly TXT?: readonly string[]
  readonly A?: readonly string[]
  readonly MX?: readonly string[]
}
export type Zone = ReadonlyMap<string, ZoneRecords>

export interface DnsStandIn {
  readonly port: number
  readonly stop: () => Promise<void>
}

const timeToLive = 60

/** A name server for a made-up zone, on loopback, over UDP (RFC 1035). Names under `failing` are answered with SERVFAIL. */
export async function startDns(
  zone: Zone,
  { port = 0, failing = new Set<string>() }: { port?: number; failing?: ReadonlySet<string> } = {},
): Promise<DnsStandIn> {
  const socket = dgram.createSocket('udp4')
  socket.on('message', (bytes, client) => {
    try {
      const { id, questions = [] } = dnsPacket.decode(bytes)
      socket.send(
        dnsPacket.encode({ type: 'response', id, ...answer(zone, failing, questions) }),
        client.port,
        client.address,
      )
    } catch {
      // What can't be read is not answered; the client will time out, as it would anywhere.
    }
  })
  await new Promise<void>((resolve, reject) => {
    socket.once('error', reject)
    socket.bind(port, '127.0.0.1', resolve)
  })
  return {
    port: (socket.address() as AddressInfo).port,
    stop: () => new Promise(resolve => socket.close(() => resolve())),
  }
}

const codes = { fine: 0, failed: 2, unknown: 3 } as const

function answer(zone: Zone, failing: ReadonlySet<string>, questions: readonly Question[]) {
  const [question] = questions
  const name = question?.name.toLowerCase() ?? ''
  const flags = dnsPacket.AUTHORITATIVE_ANSWER
  if (!question || failing.has(name))
    return { flags: flags | codes.failed, questions: [...questions], answers: [] }
  const records = zone.get(name)
  if (!records) return { flags: flags | codes.unknown, questions: [...questions], answers: [] }
  return { flags, questions: [...questions], answers: answersFor(question, records) }
}

function answersFor({ name, type }: Question, records: ZoneRecords): Answer[] {
  const common = { name, ttl: timeToLive, class: 'IN' as const }
  switch (type) {
    case 'TXT':
      // A string of TXT holds 255 bytes (RFC 1035 §3.3); longer values are split and joined again by the reader.
      return (records.TXT ?? []).map(text => ({
        ...common,
        type,
        data: text.match(/[\s\S]{1,255}/g) ?? [''],
      }))
    case 'A':
      return (records.A ?? []).map(data => ({ ...common, type, data }))
    case 'MX':
      return (records.MX ?? []).map((exchange, i) => ({
        ...common,
        type,
        data: { exchange, preference: 10 * (i + 1) },
      }))
    default:
      return []
  }
}
