import type { Request } from 'express'
import * as client from 'openid-client'
import type { IdentityProviderSetting } from '../db/models/shapes.ts'
import { boundedFetch } from '../bounded-fetch.ts'
import { AppError } from '../errors.ts'
import type { Settings } from '../settings.ts'

/** Why an identity provider let nobody in, by the name of its sentence. */
type ProviderProblem =
  | 'unreachable'
  | 'no-provider'
  | 'issuer'
  | 'client'
  | 'forged'
  | 'clock'
  | 'refused'
  | 'address'

/** Who somebody is there. Only issuer and subject together name somebody for good (OpenID Connect Core 1.0 §5.7). */
export interface Identity {
  readonly issuer: string
  readonly subject: string
  readonly name: string
  /** What they sign in by there. */
  readonly signIn: string
  /** In small letters; `null` where the provider has not checked it. */
  readonly address: string | null
  readonly groups: readonly string[]
  /** More than one factor was asked for there (`mfa`, RFC 8176 §2). */
  readonly hasSecondFactor: boolean
}

/** What is kept while somebody is at the provider: each answer fits one question. */
export interface Question {
  readonly state: string
  readonly nonce: string
  readonly verifier: string
}

const answerTime = 10
const mostBytes = 500_000
const mostGroups = 1000
/** Clocks differ (common practice: a minute). */
const tolerance = 60

const failed = (context: ProviderProblem) => new AppError('PROVIDER_FAILED', { context })

/** A provider on this very machine needs no TLS; every other does (OpenID Connect Core 1.0 §16.17). */
export function isIssuer(text: string): boolean {
  if (!URL.canParse(text)) return false
  const { protocol, search, hash, username, hostname } = new URL(text)
  if (search !== '' || hash !== '' || username !== '') return false
  return protocol === 'https:' || (protocol === 'http:' && isLoopback(hostname))
}

const isLoopback = (hostname: string) => /^(localhost|127(\.\d{1,3}){3}|\[::1\])$/.test(hostname)

/**
 * Where the provider sends people back to: the public address, or this very machine. What else a Host header says is not
 * believed: whoever forges one would have the answer sent to themselves.
 */
export function wayBack(req: Request, { PENDRO_PUBLIC_URL }: Pick<Settings, 'PENDRO_PUBLIC_URL'>): string {
  const host = req.headers.host ?? ''
  const here = URL.canParse(`http://${host}`) ? new URL(`http://${host}`) : null
  if (here && here.host === host && isLoopback(here.hostname)) return `http://${host}/sign-in/back`
  if (PENDRO_PUBLIC_URL === '') throw new AppError('PROVIDER_NEEDS_ADDRESS')
  return `${PENDRO_PUBLIC_URL}/sign-in/back`
}

/**
 * Reads what the provider says of itself (OpenID Connect Discovery 1.0 §4), anew each time: with it come its keys as they are now,
 * so that a key it changed a moment ago is no stranger.
 */
export async function askProvider(
  { issuer, clientId }: Pick<IdentityProviderSetting, 'issuer' | 'clientId'>,
  secret: string,
): Promise<client.Configuration> {
  if (issuer === '' || clientId === '') throw new AppError('NO_PROVIDER')
  const url = new URL(issuer)
  const metadata = { ...(secret !== '' && { client_secret: secret }), [client.clockTolerance]: tolerance }
  try {
    const config = await client.discovery(url, clientId, metadata, authenticationBy(secret), {
      [client.customFetch]: boundedFetch(mostBytes, () => failed('no-provider')),
      timeout: answerTime,
      // Keys are asked for, too, though the answer comes over TLS: nothing is believed for where it came from.
      execute: [
        client.enableNonRepudiationChecks,
        ...(url.protocol === 'http:' ? [client.allowInsecureRequests] : []),
      ],
    })
    const { authorization_endpoint, token_endpoint, jwks_uri } = config.serverMetadata()
    if (!authorization_endpoint || !token_endpoint || !jwks_uri) throw failed('no-provider')
    return config
  } catch (error) {
    throw toProblem(error, 'no-provider')
  }
}

/** In the header unless the provider takes it in the body alone (RFC 8414 §2); nothing where Pendro has no secret. */
const authenticationBy = (secret: string): client.ClientAuth =>
  secret === ''
    ? client.None()
    : (server, metadata, body, headers) => {
        const methods = server.token_endpoint_auth_methods_supported ?? ['client_secret_basic']
        const authenticate = methods.includes('client_secret_basic')
          ? client.ClientSecretBasic(secret)
          : client.ClientSecretPost(secret)
        authenticate(server, metadata, body, headers)
      }

/** The page of the provider to go to, and what to keep until the answer. `again`: whoever is signed in there proves it anew. */
export async function askWhoItIs(
  config: client.Configuration,
  redirectUri: string,
  { again = false }: { readonly again?: boolean } = {},
): Promise<{ readonly url: string; readonly question: Question }> {
  const question = {
    state: client.randomState(),
    nonce: client.randomNonce(),
    verifier: client.randomPKCECodeVerifier(),
  }
  const { scopes_supported = [] } = config.serverMetadata()
  const url = client.buildAuthorizationUrl(config, {
    redirect_uri: redirectUri,
    scope: ['openid', 'profile', 'email', ...(scopes_supported.includes('groups') ? ['groups'] : [])].join(
      ' ',
    ),
    state: question.state,
    nonce: question.nonce,
    code_challenge: await client.calculatePKCECodeChallenge(question.verifier),
    code_challenge_method: 'S256',
    ...(again && { prompt: 'login', max_age: '0' }),
  })
  return { url: url.href, question }
}

/**
 * Who came back with an answer. Its state, issuer (RFC 9207), signature, audience, nonce, times and PKCE are checked by the library.
 * `again`: they have to have proved it within the last minutes.
 */
export async function whoCame(
  config: client.Configuration,
  answer: URL,
  { state, nonce, verifier }: Question,
  { groupsClaim, again = false }: { readonly groupsClaim: string; readonly again?: boolean },
): Promise<Identity> {
  try {
    const tokens = await client.authorizationCodeGrant(config, answer, {
      expectedState: state,
      expectedNonce: nonce,
      pkceCodeVerifier: verifier,
      idTokenExpected: true,
      ...(again && { maxAge: 300 }),
    })
    const told = tokens.claims()
    if (!told) throw failed('forged')
    const isComplete = groupsClaim in told && 'email' in told && 'name' in told
    const more =
      isComplete || !config.serverMetadata().userinfo_endpoint
        ? {}
        : await client.fetchUserInfo(config, tokens.access_token, told.sub)
    return identityOf({ ...more, ...told }, groupsClaim)
  } catch (error) {
    throw toProblem(error, 'forged')
  }
}

function identityOf(
  claims: Readonly<Record<string, unknown>> & { readonly iss: string; readonly sub: string },
  groupsClaim: string,
): Identity {
  const textOf = (name: string) => {
    const value = Object.hasOwn(claims, name) ? claims[name] : ''
    // As a name of ours: one line, and no longer than one.
    return typeof value === 'string'
      ? value
          .replace(/\p{Cc}+/gu, ' ')
          .trim()
          .slice(0, 200)
      : ''
  }
  const given = Object.hasOwn(claims, groupsClaim) ? claims[groupsClaim] : []
  const groups = (Array.isArray(given) ? given : [given]).slice(0, mostGroups)
  const [address, signIn] = [textOf('email').toLowerCase(), textOf('preferred_username')]
  return {
    issuer: claims.iss,
    subject: claims.sub,
    name: textOf('name') || signIn || address || claims.sub.slice(0, 200),
    signIn: signIn || address || claims.sub.slice(0, 200),
    address: claims['email_verified'] === true && address !== '' ? address : null,
    groups: groups.filter(group => typeof group === 'string'),
    hasSecondFactor: Array.isArray(claims['amr']) && claims['amr'].includes('mfa'),
  }
}

const codes: Readonly<Record<string, ProviderProblem>> = {
  OAUTH_JSON_ATTRIBUTE_COMPARISON_FAILED: 'issuer',
  OAUTH_JWT_TIMESTAMP_CHECK_FAILED: 'clock',
  OAUTH_TIMEOUT: 'unreachable',
}

/** What went wrong, as a sentence of ours: what a provider writes is shown to nobody. */
function toProblem(error: unknown, otherwise: ProviderProblem): AppError {
  if (error instanceof AppError) return error
  if (error instanceof client.AuthorizationResponseError) return failed('refused')
  if (error instanceof client.ResponseBodyError)
    return failed(error.error === 'invalid_client' ? 'client' : otherwise)
  if (error instanceof client.WWWAuthenticateChallengeError) return failed('client')
  const { cause, code, name } = error as { cause?: unknown; code?: string; name?: string }
  const own = cause instanceof AppError ? cause : null
  if (own) return own
  if (code !== undefined && code in codes) return failed(codes[code] ?? otherwise)
  const isAway =
    error instanceof TypeError || name === 'TimeoutError' || name === 'AbortError' || causeIsAway(cause)
  return failed(isAway ? 'unreachable' : otherwise)
}

const causeIsAway = (cause: unknown) =>
  cause instanceof Error && /^(TypeError|TimeoutError|AbortError)$/.test(cause.name)
