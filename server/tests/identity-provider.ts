import { createHash } from 'node:crypto'
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import { exportJWK, generateKeyPair, SignJWT, UnsecuredJWT, type JWTPayload } from 'jose'
import Provider, { type Configuration } from 'oidc-provider'

export const clientId = 'pendro'
export const clientSecret = 'a provider secret'

const listen = (server: Server) =>
  new Promise<string>(resolve =>
    server.listen(0, '127.0.0.1', () =>
      resolve(`http://127.0.0.1:${(server.address() as AddressInfo).port}`),
    ),
  )
const close = (server: Server) =>
  new Promise<void>(resolve => {
    server.closeAllConnections()
    server.close(() => resolve())
  })

/** What somebody is called at the provider, and in which groups. */
export interface Account {
  readonly name: string
  readonly email: string
  readonly verified?: boolean
  readonly groups?: readonly string[]
}

const jwkOf = async (kid: string) => {
  const { privateKey } = await generateKeyPair('RS256', { extractable: true })
  return { ...(await exportJWK(privateKey)), kid, use: 'sig', alg: 'RS256' }
}

/**
 * A provider that is certified for OpenID Connect (the library oidc-provider), with accounts of ours; sign-in there is a form that
 * takes any password.
 */
export async function startProvider(
  redirectUri: string,
  accounts: Readonly<Record<string, Account>>,
  { secret = clientSecret }: { readonly secret?: string | null } = {},
) {
  const server = createServer()
  const issuer = await listen(server)
  const configuration: Configuration = {
    clients: [
      {
        client_id: clientId,
        redirect_uris: [redirectUri],
        ...(secret === null ? { token_endpoint_auth_method: 'none' } : { client_secret: secret }),
      },
    ],
    jwks: { keys: [await jwkOf('first')] },
    cookies: { keys: ['only for tests'] },
    pkce: { required: () => true },
    scopes: ['openid', 'profile', 'email', 'groups'],
    claims: {
      openid: ['sub'],
      profile: ['name', 'preferred_username'],
      email: ['email', 'email_verified'],
      groups: ['groups'],
    },
    findAccount: (_ctx, sub) => ({
      accountId: sub,
      claims: () => {
        const { name = sub, email = '', verified = true, groups = [] } = accounts[sub] ?? {}
        return Promise.resolve({
          sub,
          name,
          preferred_username: sub,
          email,
          email_verified: verified,
          groups: [...groups],
        })
      },
    }),
    // Nobody is asked whether Pendro may know their name.
    loadExistingGrant: async ctx => {
      const { client, session } = ctx.oidc
      if (!client || !session?.accountId) return undefined
      const grant = new ctx.oidc.provider.Grant({ clientId: client.clientId, accountId: session.accountId })
      grant.addOIDCScope('openid profile email groups')
      await grant.save()
      return grant
    },
  }
  let handle = new Provider(issuer, configuration).callback()
  server.on('request', (req, res) => void handle(req, res))
  return {
    issuer,
    /** Its keys are others from now on. */
    changeKeys: async () => {
      handle = new Provider(issuer, { ...configuration, jwks: { keys: [await jwkOf('second')] } }).callback()
    },
    close: () => close(server),
  }
}

/** Signs in there as a browser does; what stands behind the address of the way back. */
export async function answerOf(url: string, login: string): Promise<string> {
  const jar = new Map<string, string>()
  const ask = async (to: string, body?: URLSearchParams) => {
    const answer = await fetch(to, {
      redirect: 'manual',
      headers: { Cookie: [...jar].map(([name, value]) => `${name}=${value}`).join('; ') },
      ...(body && { method: 'POST', body }),
    })
    for (const cookie of answer.headers.getSetCookie()) {
      const [, name = '', value = ''] = /^([^=]+)=([^;]*)/.exec(cookie) ?? []
      if (value === '') jar.delete(name)
      else jar.set(name, value)
    }
    return { answer, next: new URL(answer.headers.get('location') ?? '', to).href }
  }
  let at = url
  for (let i = 0; i < 10; i++) {
    const isForm = at.includes('/interaction/')
    const { answer, next } = await ask(
      at,
      isForm ? new URLSearchParams({ prompt: 'login', login, password: 'any' }) : undefined,
    )
    if (answer.status < 300 || answer.status > 399)
      throw new Error(`${answer.status}: ${await answer.text()}`)
    if (next.includes('/sign-in/back')) return new URL(next).search
    at = next
  }
  throw new Error('no way back')
}

/** What a provider that lies may say in place of the truth. */
export interface Lie {
  readonly claims?: JWTPayload
  /** Claims that are moments, in seconds from when the token is told. */
  readonly times?: Readonly<Record<string, number>>
  readonly leftOut?: readonly string[]
  readonly signedBy?: 'itself' | 'a stranger' | 'nobody'
  /** Answers of the token endpoint. */
  readonly token?: { readonly status: number; readonly body: object | string }
  /** What it says of itself. */
  readonly metadata?: object
}

/** A provider of our own that says what a test wants, for what no honest one does. PKCE and the secret it checks. */
export async function startLiar() {
  const own = await generateKeyPair('RS256', { extractable: true })
  const strange = await generateKeyPair('RS256')
  const jwk = { ...(await exportJWK(own.publicKey)), kid: 'own', use: 'sig', alg: 'RS256' }
  let lie: Lie = {}
  let asked = new URLSearchParams()
  let issuer = ''
  const sign = async (payload: JWTPayload) => {
    if (lie.signedBy === 'nobody') return new UnsecuredJWT(payload).encode()
    const { privateKey } = lie.signedBy === 'a stranger' ? strange : own
    return new SignJWT(payload).setProtectedHeader({ alg: 'RS256', kid: 'own' }).sign(privateKey)
  }
  const token = async (form: URLSearchParams, authorization: string) => {
    const verifier = createHash('sha256')
      .update(form.get('code_verifier') ?? '')
      .digest('base64url')
    const secret = Buffer.from(authorization.replace(/^Basic /, ''), 'base64').toString()
    if (verifier !== asked.get('code_challenge')) return { status: 400, body: { error: 'invalid_grant' } }
    if (secret !== `${clientId}:${encodeURIComponent(clientSecret).replaceAll('%20', '+')}`)
      return { status: 401, body: { error: 'invalid_client' } }
    const now = Math.floor(Date.now() / 1000)
    const claims: JWTPayload = {
      iss: issuer,
      aud: clientId,
      sub: 'somebody',
      name: 'Some Body',
      preferred_username: 'somebody',
      email: 'ingrid@harbour.example',
      email_verified: true,
      groups: ['pendro-helpdesk'],
      nonce: asked.get('nonce') ?? '',
      iat: now,
      exp: now + 300,
      ...Object.fromEntries(Object.entries(lie.times ?? {}).map(([name, seconds]) => [name, now + seconds])),
      ...lie.claims,
    }
    const told = Object.fromEntries(
      Object.entries(claims).filter(([name]) => !(lie.leftOut ?? []).includes(name)),
    )
    return {
      status: 200,
      body: { access_token: 'a', token_type: 'Bearer', id_token: await sign(told) },
    }
  }
  const server = createServer((req, res) => {
    const parts: Buffer[] = []
    req.on('data', (part: Buffer) => parts.push(part))
    req.on('end', () => {
      void (async () => {
        const form = new URLSearchParams(Buffer.concat(parts).toString())
        const { status, body } =
          req.url === '/token'
            ? (lie.token ?? (await token(form, req.headers.authorization ?? '')))
            : req.url === '/keys'
              ? { status: 200, body: { keys: [jwk] } }
              : {
                  status: req.url === '/.well-known/openid-configuration' ? 200 : 404,
                  body: {
                    issuer,
                    authorization_endpoint: `${issuer}/authorize`,
                    token_endpoint: `${issuer}/token`,
                    jwks_uri: `${issuer}/keys`,
                    response_types_supported: ['code'],
                    id_token_signing_alg_values_supported: ['RS256'],
                    ...lie.metadata,
                  },
                }
        res.writeHead(status, { 'Content-Type': 'application/json' })
        res.end(typeof body === 'string' ? body : JSON.stringify(body))
      })()
    })
  })
  issuer = await listen(server)
  return {
    issuer,
    /** As if somebody had signed in there: what stands behind the address of the way back. */
    answer: (url: string, told: Lie = {}, more: Readonly<Record<string, string>> = {}) => {
      lie = told
      asked = new URL(url).searchParams
      return `?${new URLSearchParams({ code: 'c', state: asked.get('state') ?? '', ...more }).toString()}`
    },
    lies: (told: Lie) => {
      lie = told
    },
    close: () => close(server),
  }
}
