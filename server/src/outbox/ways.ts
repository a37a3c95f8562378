import type { RouteHost } from '@pendro/contract'
import { covers } from '@pendro/core/address'
import type { Organisation } from '../db/organisation.ts'
import { hostName, type Secrets } from './secrets.ts'
import { storeOf } from './stores.ts'
import {
  createHostSender,
  type Envelope,
  type HostSender,
  type Sender,
  type SendResult,
  type Way,
} from './smtp-out.ts'

/** How long a server that did not answer is left alone while there are others. */
const restFor = 30_000

type Routed = Pick<Organisation, 'routes' | 'policy'>

interface Deps {
  /** As it is now; `null` before the first set-up, or while nobody can say. */
  readonly organisation: () => Promise<Routed | null>
  /** Where everything goes that no route says otherwise of. */
  readonly store: { readonly host: string; readonly port: number }
  readonly secrets: Secrets
  readonly now: () => Date
  /** Hears what came of each try at a server, by its name. */
  readonly tried?: (host: string, result: SendResult) => void
  /** How a server is spoken to; tests put in their own. */
  readonly speak?: (route: RouteHost, secrets: Secrets) => HostSender
}

/** The servers a recipient's mail goes on to, in the order they are tried. Nothing to our own domains goes outside. */
export function hostsFor(
  organisation: Routed | null,
  store: Deps['store'],
  { to, store: named }: Pick<Envelope, 'to' | 'store'>,
  way: Way,
): readonly RouteHost[] {
  const own = storeRoute(store)
  const { smartHosts = [] } = organisation?.routes ?? {}
  const domain = to.slice(to.lastIndexOf('@') + 1).toLowerCase()
  const isOurs = organisation?.policy.ownDomains.some(one => covers(one, domain)) ?? false
  if (way === 'outside' && !isOurs) return smartHosts.length > 0 ? smartHosts : [own]
  return storeOf(organisation, { address: to, store: named ?? '' })?.hosts ?? [own]
}

/** The store of the process, as a route. */
export const storeRoute = ({ host, port }: Deps['store']): RouteHost => ({
  host,
  port,
  protocol: 'smtp',
  tls: 'off',
  certificate: '',
  user: '',
})

/**
 * Hands mail on by the routes that are set. Of several servers the first that answers gets it; one that did not answer rests while there
 * are others. After anything of a message was said it waits for its next try: nothing is handed to two.
 */
export function createWays(deps: Deps): Sender {
  const { organisation, store, secrets, now, tried, speak = createHostSender } = deps
  const senders = new Map<string, HostSender>()
  const restUntil = new Map<string, number>()
  let swept = now().getTime()
  /** Connections to servers that no route names any more, or names with other settings. */
  const sweep = (known: Routed | null) => {
    const at = now().getTime()
    if (!known || at < swept + restFor) return
    swept = at
    const { smartHosts = [], stores = [] } = known.routes ?? {}
    const named = new Set(
      [...smartHosts, ...stores.flatMap(({ hosts }) => hosts), storeRoute(store)].map(keyOf),
    )
    for (const key of senders.keys()) if (!named.has(key)) forget(senders, key)
  }
  const senderOf = (route: RouteHost): HostSender => {
    const key = keyOf(route)
    const known = senders.get(key) ?? speak(route, secrets)
    senders.set(key, known)
    return known
  }
  const byRest = (hosts: readonly RouteHost[]): readonly RouteHost[] => {
    const at = now().getTime()
    const rests = (host: RouteHost) => (restUntil.get(hostName(host)) ?? 0) > at
    return [...hosts.filter(host => !rests(host)), ...hosts.filter(rests)]
  }
  const send = async (
    envelope: Parameters<Sender>[0],
    raw: Buffer,
    way: Way = 'store',
  ): Promise<SendResult> => {
    const known = envelope.organisation ?? (await organisation())
    sweep(known)
    let last: SendResult = { status: 'later', problem: 'no server to hand it to' }
    for (const host of byRest(hostsFor(known, store, envelope, way))) {
      const { unsaid = false, away = false, ...result } = await senderOf(host).send(envelope, raw)
      tried?.(hostName(host), result)
      last = result
      if (!away) restUntil.delete(hostName(host))
      else {
        restUntil.set(hostName(host), now().getTime() + restFor)
        // What is wrong may be its password or its certificate, which are read anew.
        if (host.tls !== 'off' || host.user !== '') forget(senders, keyOf(host))
      }
      if (result.status !== 'later' || !unsaid) break
    }
    return last
  }
  return Object.assign(send, {
    close: () => {
      for (const sender of senders.values()) sender.close()
      senders.clear()
    },
  })
}

const keyOf = (route: RouteHost): string => JSON.stringify(route)

/** Takes a server's connections off the table; what was given to them is done first. */
function forget(senders: Map<string, HostSender>, key: string): void {
  senders.get(key)?.close()
  senders.delete(key)
}
