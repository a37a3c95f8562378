import { isAscii } from 'node:buffer'
import { Readable } from 'node:stream'
import SMTPPool from 'nodemailer/lib/smtp-pool'
import { usualConnections, type RouteHost } from '@pendro/contract'
import { parseDomain } from '@pendro/core/address'
import { harmlessLine } from '@pendro/core/text'
import type { Organisation } from '../db/organisation.ts'
import { transportOptions, unreadable } from './host.ts'
import type { Secrets } from './secrets.ts'

export interface Envelope {
  readonly from: string
  readonly to: string
  /** The mail store of the recipient, where more than its domain says which it is. */
  readonly store?: string
  /** The routes as they were read with the message; without them they are asked for. */
  readonly organisation?: Pick<Organisation, 'routes' | 'policy'>
}

export type SendResult =
  | { readonly status: 'taken' }
  /** RFC 5321 §4.2.1: 4yz and lost connections pass, 5yz do not. `unsure`: it may have arrived all the same. */
  | { readonly status: 'later'; readonly problem: string; readonly unsure?: boolean }
  | { readonly status: 'refused'; readonly problem: string }

/** Where something goes: to the mail store of its recipient, or out by the smart hosts. */
export type Way = 'store' | 'outside'

export type Send = (envelope: Envelope, raw: Buffer, way?: Way) => Promise<SendResult>

/** What sends, and ends the connections it keeps. */
export type Sender = Send & { readonly close: () => void }

/** What came of trying one server. */
export type Tried = SendResult & {
  /** Nothing of the message was said: another server may have it at once, and nobody gets it twice. */
  readonly unsaid?: boolean
  /** It is about the server, and not about this message. */
  readonly away?: boolean
}

/** Hands messages to one server. */
export interface HostSender {
  readonly send: (envelope: Envelope, raw: Buffer) => Promise<Tried>
  /** Ends its connections when all that was given to it is done. */
  readonly close: () => void
}

interface Failure extends Error {
  readonly code?: string
  readonly command?: string
  readonly responseCode?: number
  readonly response?: string
  readonly errno?: number | string
  readonly syscall?: string
}

/** A connection that never stood: looked up, connected, greeted, made safe, signed in. */
const beforeAnything = ({ code, syscall, message, command = '' }: Failure): boolean =>
  code === unreadable ||
  code === 'EDNS' ||
  code === 'ETLS' ||
  code === 'EAUTH' ||
  syscall === 'connect' ||
  /^(EHLO|LHLO|HELO|STARTTLS|AUTH)/.test(command) ||
  /^(Connection timeout|Greeting never received|Invalid greeting)/.test(message)

/**
 * Hands messages to a server over SMTP or LMTP (RFC 2033). Connections are used again, as mail servers do; one that fails takes only
 * the message it was on with it.
 */
export function createHostSender(route: RouteHost, secrets: Secrets): HostSender {
  // Made with the first message: what is wrong with the files of the machine is this server's trouble, and another one may be well.
  let pool: Promise<SMTPPool> | null = null
  let sending = 0
  let closing = false
  // Not before: the library would fail what still waits for a connection.
  const endWhenDone = () => {
    if (closing && sending === 0)
      void pool?.then(
        open => open.close(),
        () => {},
      )
  }
  return {
    send: async (envelope, raw) => {
      sending += 1
      try {
        pool ??= openPool(route, secrets)
        await handTo(await pool, envelope, raw)
        return { status: 'taken' }
      } catch (error) {
        const failure = error as Failure
        const { responseCode, response, message, command } = failure
        const problem = harmlessLine(response ?? message).slice(0, 500)
        // Only what is said of this recipient or this message is about them; at the greeting or at MAIL it is about the
        // server or about us, and passes when somebody sets it right.
        const isOfMessage =
          command !== undefined && /^(?:RCPT|DATA)/i.test(command) && responseCode !== undefined
        if (isOfMessage && responseCode >= 500) return { status: 'refused', problem }
        const unsaid = beforeAnything(failure)
        // What is wrong with the files of the machine is looked at anew.
        if (failure.code === unreadable) pool = null
        // Without an answer nobody knows whether it was taken.
        const unsure = !unsaid && responseCode === undefined
        return { status: 'later', problem, unsaid, away: !isOfMessage, ...(unsure ? { unsure } : {}) }
      } finally {
        sending -= 1
        endWhenDone()
      }
    },
    close: () => {
      closing = true
      endWhenDone()
    },
  }
}

const openPool = async (route: RouteHost, secrets: Secrets) =>
  new SMTPPool({
    ...(await transportOptions(route, secrets)),
    maxConnections: route.connections ?? usualConnections,
    maxMessages: 200,
    connectionTimeout: 4000,
    greetingTimeout: 4000,
    socketTimeout: 20_000,
  })

/**
 * Hands a message to the library's connections as it is. Its mailer would first make a tree of parts of it and read that out again, which
 * takes longer than all the rest.
 */
function handTo(pool: SMTPPool, { from, to }: Envelope, raw: Buffer): Promise<void> {
  const envelope = { from: onTheWire(from), to: [onTheWire(to)], use8BitMime: !isAscii(raw) }
  const message = {
    getEnvelope: () => envelope,
    messageId: () => '',
    getHeader: () => '',
    createReadStream: () => Readable.from(raw, { objectMode: false }),
  }
  return new Promise((resolve, reject) => {
    // All that the connections ask of a message.
    const mail = { data: {}, message } as unknown as Parameters<SMTPPool['send']>[0]
    pool.send(mail, failure => (failure ? reject(failure) : resolve()))
  })
}

/** An address as SMTP says it: its domain in A-labels, unless the local part needs SMTPUTF8 all the same (RFC 6531 §3.7.1). */
function onTheWire(address: string): string {
  const at = address.lastIndexOf('@')
  const [local, written] = [address.slice(0, at), address.slice(at + 1)]
  if (at < 0 || isAscii(Buffer.from(address)) || !isAscii(Buffer.from(local))) return address
  const domain = parseDomain(written)
  return domain.ok ? `${local}@${domain.value}` : address
}
