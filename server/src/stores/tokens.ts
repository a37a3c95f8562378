import * as client from 'openid-client'
import { accountAt, type StoreIdentity } from '@pendro/contract'
import { boundedFetch } from '../bounded-fetch.ts'
import type { Secrets } from '../outbox/secrets.ts'

/** No token was given. `message` says why. */
export class TokenError extends Error {}

/** Seconds before its end from which a token is not used any more: what begins with it has to end with it. */
const margin = 60
/** Seconds a token is good for where nobody says (common practice). */
const usualLife = 300
const mostBytes = 100_000
/** Seconds until an answer has to be there. */
const patience = 10

const nameOf = ({ user, tokenUrl, scope }: StoreIdentity) => JSON.stringify([user, tokenUrl, scope])
const kept = new Map<string, { readonly token: string; readonly until: number }>()

/** A token by client credentials (RFC 6749 §4.4), kept until shortly before its end. @throws {TokenError} */
export async function tokenOf(identity: StoreIdentity, secrets: Secrets): Promise<string> {
  const name = nameOf(identity)
  const known = kept.get(name)
  if (known && known.until > Date.now()) return known.token
  const secret = await secrets.passwordOf(accountAt(identity.tokenUrl, identity.user))
  if (secret === null) throw new TokenError('no secret is kept for the client')
  const { access_token: token, expires_in = usualLife } = await ask(identity, secret)
  kept.set(name, { token, until: Date.now() + Math.max(0, expires_in - margin) * 1000 })
  return token
}

/** A token that was not believed is not tried again. */
export const forgetToken = (identity: StoreIdentity): void => void kept.delete(nameOf(identity))

async function ask({ user, tokenUrl, scope }: StoreIdentity, secret: string) {
  const server = { issuer: new URL(tokenUrl).origin, token_endpoint: tokenUrl }
  const config = new client.Configuration(server, user, {}, client.ClientSecretBasic(secret))
  config.timeout = patience
  config[client.customFetch] = boundedFetch(mostBytes, () => new TokenError('the answer is too long'))
  // Settings take an address without TLS on this very machine alone.
  if (tokenUrl.startsWith('http:')) client.allowInsecureRequests(config)
  try {
    return await client.clientCredentialsGrant(config, scope === '' ? {} : { scope })
  } catch (error) {
    throw new TokenError(reasonOf(error))
  }
}

/** What the server said (RFC 6749 §5.2), or what was wrong with it: the library wraps that, at times twice. */
function reasonOf(error: unknown): string {
  const { message, cause } = error as Error & { cause?: { error?: string } }
  if (typeof cause?.error === 'string') return cause.error
  return cause instanceof Error ? reasonOf(cause) : message
}
