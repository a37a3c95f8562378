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

interface Deps {
  /** As it is now; `null` before the first set-up, or while nobody can say. */
  readonly organisation: () => Promise<Pick<Organisation, 'routes' | 'policy'> | null>
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
  organisation: Pick<Organisation, 'routes' | 'policy'> | null,
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
  const senderOf = (route: RouteHost): HostSender => {
    const key = JSON.stringify(route)
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
    let last: SendResult = { status: 'later', problem: 'no server to hand it to' }
    for (const host of byRest(hostsFor(known, store, envelope, way))) {
      const { unsaid = false, away = false, ...result } = await senderOf(host).send(envelope, raw)
      tried?.(hostName(host), result)
      last = result
      if (!away) restUntil.delete(hostName(host))
      else {
        restUntil.set(hostName(host), now().getTime() + restFor)
        // What is wrong may be its password or its certificate, which are read anew.
        forget(senders, host)
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

/** Takes a server's connections off the table; those that are at work end their message first. */
function forget(senders: Map<string, HostSender>, host: RouteHost): void {
  const key = JSON.stringify(host)
  const known = senders.get(key)
  if (host.tls === 'off' && host.user === '') return
  senders.delete(key)
  known?.close()
}
