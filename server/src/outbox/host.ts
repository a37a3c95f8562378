import { X509Certificate } from 'node:crypto'
import { isIP } from 'node:net'
import { rootCertificates, type ConnectionOptions } from 'node:tls'
import type { RouteHost, ServerAt } from '@pendro/contract'
import { readSmall, type Secrets } from './secrets.ts'

/** When a certificate ends; `null` for what is none. */
export function endOfCertificate(pem: string): Date | null {
  try {
    return new Date(new X509Certificate(pem).validTo)
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
export async function transportOptions(route: RouteHost, secrets: Secrets) {
  const { host, port, protocol, tls, user } = route
  return {
    host,
    port,
    lmtp: protocol === 'lmtp',
    secure: tls === 'implicit',
    requireTLS: tls === 'starttls',
    ignoreTLS: tls === 'off',
    ...(user === '' ? {} : { auth: { user, pass: (await secrets.passwordOf(route)) ?? '' } }),
    ...(tls === 'off' ? {} : { tls: await tlsOptions(route, secrets) }),
  }
}

/** Whom a server has to be. Throws with the code {@link unreadable} where the file of authorities can't be read. */
export async function tlsOptions(
  { host, certificate }: Pick<ServerAt, 'host' | 'certificate'>,
  { authorities }: Pick<Secrets, 'authorities'>,
): Promise<ConnectionOptions> {
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
    ...(authorities === '' ? {} : { ca: [...rootCertificates, await readAuthorities(authorities)] }),
  }
}

async function readAuthorities(file: string): Promise<string> {
  try {
    return await readSmall(file)
  } catch (error) {
    const { code = 'unknown' } = error as NodeJS.ErrnoException
    // Without its path: this stands on the screen.
    throw Object.assign(new Error(`The file of certificate authorities can’t be read (${code})`), {
      code: unreadable,
    })
  }
}
