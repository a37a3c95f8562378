import { createTransport } from 'nodemailer'
import { harmlessLine } from '@pendro/core/text'

export interface Envelope {
  readonly from: string
  readonly to: string
}

export type SendResult =
  | { readonly status: 'taken' }
  /** RFC 5321 §4.2.1: 4yz and lost connections pass, 5yz do not. */
  | { readonly status: 'later'; readonly problem: string }
  | { readonly status: 'refused'; readonly problem: string }

export type Send = (envelope: Envelope, raw: Buffer) => Promise<SendResult>

/** What sends, and ends the connections it keeps. */
export type Sender = Send & { readonly close: () => void }

/**
 * Hands messages to the mail store over SMTP. Connections are used again, as mail servers do; one that fails takes only the
 * message it was on with it.
 */
export function createSender(host: string, port: number): Sender {
  const transport = createTransport({
    pool: true,
    maxConnections: 20,
    maxMessages: 200,
    host,
    port,
    secure: false,
    ignoreTLS: true,
    connectionTimeout: 4000,
    greetingTimeout: 4000,
    socketTimeout: 20_000,
  })
  const send: Send = async ({ from, to }, raw) => {
    try {
      await transport.sendMail({ envelope: { from, to: [to] }, raw })
      return { status: 'taken' }
    } catch (error) {
      const { responseCode, response, message, command } = error as Error & {
        responseCode?: number
        response?: string
        command?: string
      }
      const problem = harmlessLine(response ?? message).slice(0, 500)
      // Only what is said of this recipient or this message is about them; at the greeting or at MAIL it is about the
      // store or about us, and passes when somebody sets it right.
      const isFinal = command !== undefined && /^(?:RCPT|DATA)/i.test(command)
      return isFinal && responseCode !== undefined && responseCode >= 500
        ? { status: 'refused', problem }
        : { status: 'later', problem }
    }
  }
  return Object.assign(send, { close: () => transport.close() })
}
