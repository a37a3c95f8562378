import type { AddressInfo } from 'node:net'
import { SMTPServer, type SMTPServerOptions } from 'smtp-server'
import type { RouteHost } from '@pendro/contract'
import { createSecrets } from '../src/outbox/secrets.ts'

interface Took {
  readonly from: string
  readonly to: string
  readonly raw: string
  readonly secure: boolean
  readonly user: string
}

/** A server of the library's own that mail goes on to: takes everything, or answers as told. */
export interface OtherServer {
  readonly port: number
  readonly took: Took[]
  /** What a recipient is told; `null`: taken. */
  readonly mood: { answer: string | null }
  readonly close: () => Promise<void>
}

/** @param options Of the library: `lmtp`, `secure`, `key`, `cert`, `onAuth`. */
export async function otherServer(options: SMTPServerOptions = {}): Promise<OtherServer> {
  const took: Took[] = []
  const mood: OtherServer['mood'] = { answer: null }
  const server = new SMTPServer({
    logger: false,
    disableReverseLookup: true,
    authOptional: true,
    disabledCommands: [...(options.onAuth ? [] : ['AUTH']), ...(options.cert ? [] : ['STARTTLS'])],
    onRcptTo(_, __, callback) {
      const answer = mood.answer
      callback(
        answer === null
          ? null
          : Object.assign(new Error(answer.slice(4)), { responseCode: Number(answer.slice(0, 3)) }),
      )
    },
    onData(stream, { envelope, secure, user }, callback) {
      const parts: Buffer[] = []
      stream.on('data', (part: Buffer) => parts.push(part))
      stream.on('end', () => {
        for (const { address } of envelope.rcptTo)
          took.push({
            from: envelope.mailFrom ? envelope.mailFrom.address : '',
            to: address,
            raw: Buffer.concat(parts).toString('utf8'),
            secure,
            user: typeof user === 'string' ? user : '',
          })
        callback(null)
      })
    },
    ...options,
  })
  server.on('error', () => {})
  const listening = await new Promise<ReturnType<typeof server.listen>>(resolve => {
    const one = server.listen(0, '127.0.0.1', () => resolve(one))
  })
  return {
    port: (listening.address() as AddressInfo).port,
    took,
    mood,
    close: () => new Promise(resolve => server.close(() => resolve())),
  }
}

/** A server as a route has it. */
export const route = (port: number, more: Partial<RouteHost> = {}): RouteHost => ({
  host: '127.0.0.1',
  port,
  protocol: 'smtp',
  tls: 'off',
  certificate: '',
  user: '',
  ...more,
})

/** What the machine has of passwords and authorities; none where nothing is said, and no vault. */
export const secretsOf = ({ passwords = '', authorities = '' } = {}) =>
  createSecrets({ passwordOf: async () => null }, { passwords, authorities })
