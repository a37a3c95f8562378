import type { AddressInfo } from 'node:net'
import type { SMTPServer } from 'smtp-server'
import type { Log } from '../log.ts'
import type { Settings } from '../settings.ts'
import type { DoorName } from '../traffic/traffic.ts'
import { isSameCertificate, readCertificate, type Certificate } from './certificate.ts'
import { createReceiver, createSmtpIn, type Deps } from './smtp-in.ts'
import { createSubmission, createSubmitting } from './submission.ts'

/** The doors that mail comes in by. */
export interface Doors {
  readonly smtpPort: number
  /** Of the one that speaks TLS from the first byte (RFC 8314 §3.3); `null` while it is shut, for want of a certificate. */
  readonly smtpsPort: () => number | null
  /** Where outgoing mail comes; `null` for nowhere. */
  readonly submissionPort: () => number | null
  readonly submissionsPort: () => number | null
  /** Every door there can be. */
  readonly all: () => readonly DoorNow[]
  readonly certificate: () => Certificate
  /** Looks at the certificate's files again; `true` when they have changed. */
  readonly look: () => Promise<boolean>
  readonly close: () => Promise<void>
}

/** A door as it is now. */
export interface DoorNow {
  readonly name: DoorName
  /** A setting opens it. */
  readonly isWanted: boolean
  /** `null` while it is shut. */
  readonly port: number | null
}

type DoorSettings = Pick<
  Settings,
  | 'PENDRO_HOST'
  | 'PENDRO_SMTP_HOST'
  | 'PENDRO_SMTP_PORT'
  | 'PENDRO_SMTPS_PORT'
  | 'PENDRO_SMTP_TLS'
  | 'PENDRO_SMTP_PROXIES'
  | 'PENDRO_SUBMISSION_PORT'
  | 'PENDRO_SUBMISSIONS_PORT'
  | 'PENDRO_SUBMISSION_USER'
  | 'PENDRO_SUBMISSION_PASSWORD'
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
  const submitting = createSubmitting(deps, {
    user: settings.PENDRO_SUBMISSION_USER,
    password: settings.PENDRO_SUBMISSION_PASSWORD,
  })
  let certificate = await readCertificate(files, now())
  const door = { proxies, needsTls: settings.PENDRO_SMTP_TLS === 'required', certificate: () => certificate }

  const all = (
    [
      ['incoming', String(settings.PENDRO_SMTP_PORT), () => createSmtpIn(receiver, door)],
      ['incoming-tls', settings.PENDRO_SMTPS_PORT, () => createSmtpIn(receiver, { ...door, secure: true })],
      ['submission', settings.PENDRO_SUBMISSION_PORT, () => createSubmission(submitting, door)],
      [
        'submission-tls',
        settings.PENDRO_SUBMISSIONS_PORT,
        () => createSubmission(submitting, { ...door, secure: true }),
      ],
    ] as const
  ).map(([name, port, create]) => openable({ name, port, host, create }, log))
  const secure = all.filter(({ name }) => name.endsWith('-tls'))
  const plain = all.filter(one => !secure.includes(one))
  const portOf = (wanted: DoorName) => all.find(({ name }) => name === wanted)?.port() ?? null
  for (const one of plain) await one.open()
  tell(log, certificate)
  if (certificate.state === 'good') for (const one of secure) await one.open()

  const look = async (): Promise<boolean> => {
    const found = await readCertificate(files, now())
    if (isSameCertificate(found, certificate)) return false
    certificate = found
    tell(log, certificate)
    if (found.state === 'good') {
      for (const one of all) one.show({ cert: found.cert, key: found.key })
      for (const one of secure) await one.open()
    } else for (const one of secure) await one.close()
    return true
  }
  return {
    smtpPort: portOf('incoming') ?? 0,
    smtpsPort: () => portOf('incoming-tls'),
    submissionPort: () => portOf('submission'),
    submissionsPort: () => portOf('submission-tls'),
    all: () => all.map(({ name, isWanted, port }) => ({ name, isWanted, port: port() })),
    certificate: () => certificate,
    look,
    close: async () => {
      await Promise.all(all.map(one => one.close()))
    },
  }
}

interface Openable {
  readonly name: DoorName
  readonly isWanted: boolean
  /** `null` while it is shut. */
  readonly port: () => number | null
  /** Does nothing while it is open, or where no port is set for it. */
  readonly open: () => Promise<void>
  readonly close: () => Promise<void>
  readonly show: (certificate: { readonly cert: string; readonly key: string }) => void
}

interface Opening {
  readonly name: DoorName
  /** '' for none. */
  readonly port: string
  readonly host: string
  readonly create: () => SMTPServer
}

function openable({ name, port, host, create }: Opening, log: Log): Openable {
  let now: { readonly server: SMTPServer; readonly port: number } | null = null
  return {
    name,
    isWanted: port !== '',
    port: () => now?.port ?? null,
    open: async () => {
      if (now || port === '') return
      const server = create()
      now = { server, port: await listen(server, Number(port), host) }
      log.listening(name, now.port)
    },
    close: async () => {
      const server = now?.server
      now = null
      if (server) await closed(server)
    },
    show: certificate => now?.server.updateSecureContext(certificate),
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
