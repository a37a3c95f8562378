import type { AddressInfo } from 'node:net'
import type { SMTPServer } from 'smtp-server'
import type { Log } from '../log.ts'
import type { Settings } from '../settings.ts'
import { isSameCertificate, readCertificate, type Certificate } from './certificate.ts'
import { createReceiver, createSmtpIn, type Deps } from './smtp-in.ts'

/** The doors that mail comes in by. */
export interface Doors {
  readonly smtpPort: number
  /** Of the one that speaks TLS from the first byte (RFC 8314 §3.3); `null` while it is shut, for want of a certificate. */
  readonly smtpsPort: () => number | null
  readonly certificate: () => Certificate
  /** Looks at the certificate's files again; `true` when they have changed. */
  readonly look: () => Promise<boolean>
  readonly close: () => Promise<void>
}

type DoorSettings = Pick<
  Settings,
  | 'PENDRO_HOST'
  | 'PENDRO_SMTP_HOST'
  | 'PENDRO_SMTP_PORT'
  | 'PENDRO_SMTPS_PORT'
  | 'PENDRO_SMTP_TLS'
  | 'PENDRO_SMTP_PROXIES'
  | 'PENDRO_TLS_CERT'
  | 'PENDRO_TLS_KEY'
>

/**
 * Opens the doors. With a good certificate the plain one offers STARTTLS (RFC 3207) and the other is open; with a bad one neither speaks TLS,
 * which is told in the log, until its files are right: nothing self-made is ever shown in its place.
 */
export async function openDoors(deps: Deps, settings: DoorSettings): Promise<Doors> {
  const { log, now } = deps
  const files = { cert: settings.PENDRO_TLS_CERT, key: settings.PENDRO_TLS_KEY }
  const host = settings.PENDRO_SMTP_HOST || settings.PENDRO_HOST
  const proxies = settings.PENDRO_SMTP_PROXIES.split(/[, ]+/).filter(one => one !== '')
  const receiver = createReceiver(deps)
  let certificate = await readCertificate(files, now())
  const door = { proxies, needsTls: settings.PENDRO_SMTP_TLS === 'required', certificate: () => certificate }

  const plain = createSmtpIn(receiver, door)
  const smtpPort = await listen(plain, settings.PENDRO_SMTP_PORT, host)
  let secure: { readonly server: SMTPServer; readonly port: number } | null = null
  const openSecure = async () => {
    if (settings.PENDRO_SMTPS_PORT === '' || certificate.state !== 'good') return
    const server = createSmtpIn(receiver, { ...door, secure: true })
    secure = { server, port: await listen(server, Number(settings.PENDRO_SMTPS_PORT), host) }
    log.listening('smtps', secure.port)
  }
  log.listening('smtp', smtpPort)
  tell(log, certificate)
  await openSecure()

  const look = async (): Promise<boolean> => {
    const found = await readCertificate(files, now())
    if (isSameCertificate(found, certificate)) return false
    certificate = found
    tell(log, certificate)
    if (found.state === 'good') {
      for (const server of [plain, secure?.server])
        server?.updateSecureContext({ cert: found.cert, key: found.key })
      if (!secure) await openSecure()
    } else if (secure) {
      const { server } = secure
      secure = null
      await closed(server)
    }
    return true
  }
  return {
    smtpPort,
    smtpsPort: () => secure?.port ?? null,
    certificate: () => certificate,
    look,
    close: async () => {
      await Promise.all([closed(plain), ...(secure ? [closed(secure.server)] : [])])
    },
  }
}

function tell(log: Log, certificate: Certificate): void {
  if (certificate.state === 'bad') log.certificateBad(certificate.problem, certificate.detail)
  else log.certificate(certificate.state)
}

function listen(server: SMTPServer, port: number, host: string): Promise<number> {
  return new Promise((resolve, reject) => {
    server.once('error', reject)
    const listening = server.listen(port, host, () => {
      server.off('error', reject)
      // Of a client that goes away in the middle of a handshake; whoever is connected hears of it.
      server.on('error', () => {})
      resolve((listening.address() as AddressInfo).port)
    })
  })
}

const closed = (server: SMTPServer) => new Promise<void>(resolve => server.close(() => resolve()))
