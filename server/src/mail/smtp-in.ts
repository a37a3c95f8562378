import { SMTPServer, type SMTPServerDataStream, type SMTPServerSession } from 'smtp-server'
import { parseMessage } from '@pendro/core/message'
import type { Database } from '../db/database.ts'
import { isDatabaseAway } from '../errors.ts'
import type { Log } from '../log.ts'
import { findOrganisation } from '../db/organisation.ts'
import { reportByMail } from '../reports/by-mail.ts'
import { resolveRecipients, takeIn, type IntakeOptions } from './intake.ts'

interface Deps {
  readonly db: Database
  readonly log: Log
  readonly now: () => Date
  readonly maxBytes: number
  /** How messages are read and checked; see intake. */
  readonly intake?: Omit<IntakeOptions, 'onward'>
  /** Called after each commit, so that what goes on does not wait for the next look at the queue. */
  readonly takenIn: () => void
}

/** An error whose code and text go to the SMTP client (RFC 5321 §4.2, RFC 3463). */
function reply(responseCode: number, text: string): Error {
  return Object.assign(new Error(text), { responseCode })
}

const tryLater = () => reply(451, '4.3.0 Our database does not answer; please try again later')

/** The door: answers 250 only after the message and its deliveries are committed (domain.md §1). */
export function createSmtpIn(deps: Deps): SMTPServer {
  const { db, log, maxBytes } = deps
  return new SMTPServer({
    banner: 'Pendro',
    disabledCommands: ['AUTH', 'STARTTLS'],
    size: maxBytes,
    // Names in EHLO need not resolve; looking them up would leave this machine.
    disableReverseLookup: true,
    logger: false,
    onRcptTo({ address }, _session, callback) {
      Promise.all([resolveRecipients(db, [address]), isReportAddress(db, address)]).then(
        ([found, isReport]) => {
          if (found.has(address) || isReport) return callback()
          log.refused(550, 'no such mailbox')
          callback(reply(550, `5.1.1 No mailbox here has the address ${address}`))
        },
        error => {
          log.databaseAway('smtp recipient', error)
          callback(tryLater())
        },
      )
    },
    onData(stream, session, callback) {
      receive(deps, stream, session).then(
        text => callback(null, text),
        (error: Error & { responseCode?: number }) => {
          if (error.responseCode !== undefined) log.refused(error.responseCode, error.message)
          else if (isDatabaseAway(error)) log.databaseAway('smtp data', error)
          else log.intakeFailed(error)
          callback(error.responseCode === undefined ? tryLater() : error)
        },
      )
    },
  })
}

async function receive(
  { db, log, now, maxBytes, takenIn, intake }: Deps,
  stream: SMTPServerDataStream,
  session: SMTPServerSession,
): Promise<string> {
  const raw = await readAll(stream, maxBytes)
  // Asked before anything is stored: a message with thousands of parts is an attack, not a message.
  const parsed = await (intake?.read ?? parseMessage)(raw)
  if (!parsed.ok && parsed.problem.code === 'too-many-parts') {
    throw reply(554, `5.6.0 The message has more than ${parsed.problem.limit} parts or levels`)
  }
  const { mailFrom, rcptTo } = session.envelope
  const reports = await Promise.all(
    session.envelope.rcptTo.map(({ address }) => isReportAddress(db, address)),
  )
  if (reports.includes(true)) return takeReport({ db, log, now, intake }, raw, parsed, session)
  const incoming = {
    raw,
    envelopeFrom: mailFrom ? mailFrom.address : '',
    recipients: rcptTo.map(({ address }) => address),
    receivedAt: now(),
    connection: { ip: session.remoteAddress, helo: session.hostNameAppearsAs || '' },
  }
  const [taken] = await takeIn(db, [incoming], {
    ...intake,
    onward: 'queue',
    read: () => Promise.resolve(parsed),
  })
  if (!taken) throw new Error('nothing was taken in')
  log.tookIn(taken.messageId, taken.deliveries.length, raw.length)
  takenIn()
  return `2.0.0 Taken in as ${taken.messageId}`
}

async function isReportAddress(db: Database, address: string): Promise<boolean> {
  const organisation = await findOrganisation(db)
  return (
    organisation?.reportAddress !== undefined &&
    organisation.reportAddress !== '' &&
    organisation.reportAddress === address.toLowerCase()
  )
}

/** Mail to the report address: what a colleague attached to it, or the answer why it was not taken. */
async function takeReport(
  { db, log, now, intake }: Pick<Deps, 'db' | 'log' | 'now' | 'intake'>,
  raw: Buffer,
  parsed: Awaited<ReturnType<typeof parseMessage>>,
  session: SMTPServerSession,
): Promise<string> {
  const { mailFrom } = session.envelope
  const connection = { ip: session.remoteAddress, helo: session.hostNameAppearsAs || '' }
  const taken = await reportByMail(db, {
    raw,
    parsed,
    envelopeFrom: mailFrom ? mailFrom.address : '',
    connection,
    resolve: intake?.resolve,
    now: now(),
  })
  if (!taken.ok) throw reply(550, taken.problem)
  log.reported(taken.value)
  return `2.0.0 Thank you; learned from ${taken.value} ${taken.value === 1 ? 'message' : 'messages'}`
}

async function readAll(stream: SMTPServerDataStream, maxBytes: number): Promise<Buffer> {
  const chunks: Buffer[] = []
  let size = 0
  for await (const chunk of stream as AsyncIterable<Buffer>) {
    size += chunk.length
    // Read on to the end, as the protocol asks, but keep nothing more of it.
    if (size <= maxBytes) chunks.push(chunk)
  }
  if (size > maxBytes) throw reply(552, `5.3.4 The message is larger than ${maxBytes} bytes`)
  return Buffer.concat(chunks)
}
