import { X509Certificate } from 'node:crypto'
import { readFileSync } from 'node:fs'
import { isIP } from 'node:net'
import { rootCertificates, type ConnectionOptions } from 'node:tls'
import type { RouteHost } from '@pendro/contract'

/** What of a server that mail goes on to is a setting of the machine. */
export interface Secrets {
  /** A file with a line for each: user@host:port, a space, the password; '' for none. */
  readonly passwords: string
  /** PEM file with authorities of one's own; '' for none. */
  readonly authorities: string
}

/** What a server is called in counts and on the screen. */
export const hostName = ({ host, port }: Pick<RouteHost, 'host' | 'port'>): string =>
  `${host.includes(':') ? `[${host}]` : host}:${port}`

/** When a certificate ends; `null` for what is none. */
export function endOfCertificate(pem: string): Date | null {
  try {
    return new Date(new X509Certificate(pem).validTo)
  } catch {
    return null
  }
}

/** The password of a user at a server, from the file as it is now; `null` where it has none or can't be read. */
export function passwordAt({ passwords }: Secrets, { user, ...host }: RouteHost): string | null {
  if (passwords === '') return null
  const name = `${user}@${hostName(host)} `
  try {
    const line = readFileSync(passwords, 'utf8')
      .split(/\r?\n/)
      .find(one => one.startsWith(name))
    return line?.slice(name.length) ?? null
  } catch {
    return null
  }
}

/** The code of the error where a file of the machine can't be read. */
export const unreadable = 'EUNREADABLE'

/**
 * How the library is to speak to a server: whom it believes, and that nothing goes without TLS where that is asked for. Throws with
 * the code {@link unreadable} where the file of authorities can't be read.
 */
export function transportOptions(route: RouteHost, secrets: Secrets) {
  const { host, port, protocol, tls, user } = route
  return {
    host,
    port,
    lmtp: protocol === 'lmtp',
    secure: tls === 'implicit',
    requireTLS: tls === 'starttls',
    ignoreTLS: tls === 'off',
    ...(user === '' ? {} : { auth: { user, pass: passwordAt(secrets, route) ?? '' } }),
    ...(tls === 'off' ? {} : { tls: tlsOptions(route, secrets) }),
  }
}

function tlsOptions({ host, certificate }: RouteHost, { authorities }: Secrets): ConnectionOptions {
  const named = isIP(host) === 0 ? { servername: host } : {}
  if (certificate !== '')
    // The one certificate is believed as it is: who signed it and which names stand in it says nothing more.
    return {
      ...named,
      minVersion: 'TLSv1.2',
      ca: [certificate],
      allowPartialTrustChain: true,
      checkServerIdentity: () => undefined,
    }
  return {
    ...named,
    minVersion: 'TLSv1.2',
    ...(authorities === '' ? {} : { ca: [...rootCertificates, readAuthorities(authorities)] }),
  }
}

function readAuthorities(file: string): string {
  try {
    return readFileSync(file, 'utf8')
  } catch (error) {
    const { code = 'unknown' } = error as NodeJS.ErrnoException
    // Without its path: this stands on the screen.
    throw Object.assign(new Error(`The file of certificate authorities can’t be read (${code})`), {
      code: unreadable,
    })
  }
}
