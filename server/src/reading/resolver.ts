import { Resolver } from 'node:dns/promises'
import { cachedResolver, withTimeLimit, type Resolve } from '@pendro/core/authentication'

const timeLimit = 4000
const keepFor = 60_000

/** 'off': nothing is looked up. 'system': the machine's name servers. Else 'host:port' of one. */
export function createResolver(setting: string, now: () => Date): Resolve | undefined {
  if (setting === 'off') return undefined
  const resolver = new Resolver({ timeout: timeLimit, tries: 2 })
  if (setting !== 'system') resolver.setServers([setting])
  const lookUp: Resolve = (name, type) => resolver.resolve(name, type)
  return cachedResolver(withTimeLimit(lookUp, timeLimit * 2), keepFor, () => now().getTime())
}
