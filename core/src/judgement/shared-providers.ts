import packaged from 'email-providers/all.json' with { type: 'json' }
import type { OrganisationPolicy } from './organisation.ts'

/**
 * Domains at which anybody can have an address: the packaged list (npm email-providers) and what the organisation adds.
 * Such a domain says nothing of who writes.
 */
const known: ReadonlySet<string> = new Set(packaged)

/** Whether a domain (A-labels) is a shared provider's, or lies below one. */
export function isSharedProvider(
  domain: string,
  { sharedProviders }: Pick<OrganisationPolicy, 'sharedProviders'>,
): boolean {
  for (let name = domain; name.includes('.'); name = name.slice(name.indexOf('.') + 1))
    if (known.has(name) || sharedProviders.includes(name)) return true
  return false
}
