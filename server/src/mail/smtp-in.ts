import { SMTPServer, type SMTPServerDataStream, type SMTPServerSession } from 'smtp-server'
import type { Database } from '../db/database.ts'
import { isDatabaseAway } from '../errors.ts'
import type { Log } from '../log.ts'
import { findOrganisation } from '../db/organisation.ts'
import { takeReply } from '../digests/replies.ts'
import { reportByMail } from '../reports/by-mail.ts'
import { enquireByMail } from '../whereabouts/by-mail.ts'
import { takeStoreReport } from '../whereabouts/store-reports.ts'
import { noteRefusal } from '../whereabouts/refusals.ts'
import { readMessage, type ReadMessage } from './reading.ts'
import { acknowledgement, refusal } from './smtp-answers.ts'
import { resolveRecipients, takeIn, type IntakeOptions } from './intake.ts'

interface Deps {
  readonly db: Database
  readonly log: Log
  readonly now: () => Date
  readonly maxBytes: number
  /** Where the mail store connects from: what it says of deliveries counts, and nobody else's word. */
  readonly storeAddress?: string
  /** How messages are read and checked; see intake. */
  readonly intake?: Omit<IntakeOptions, 'onward'>
  /** Called after each commit, so that what goes on does not wait for the next look at the queue. */
  readonly takenIn: () => void
}

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
    onRcptTo({ address }, session, callback) {
      Promise.all([resolveRecipients(db, [address]), ownAddress(db, address)]).then(
        ([found, own]) => {
          if (found.has(address) || own) return callback()
          const refused = refusal('no-mailbox', { address })
          void noteRefusal(db, log, {
            ...attemptOf(deps, session),
            recipients: [address],
            code: refused.responseCode,
            reason: refused.message,
          }).then(() => callback(refused))
        },
        error => {
          log.databaseAway('smtp recipient', error)
          callback(refusal('database-away'))
        },
      )
    },
    onData(stream, session, callback) {
      receive(deps, stream, session).then(
        text => callback(null, text),
        (error: Error & { responseCode?: number }) => {
          const { responseCode: code } = error
          if (code !== undefined)
            return void noteRefusal(db, log, {
              ...attemptOf(deps, session),
              code,
              reason: error.message,
            }).then(() => callback(error))
          if (isDatabaseAway(error)) log.databaseAway('smtp data', error)
          else log.intakeFailed(error)
          callback(refusal('database-away'))
        },
      )
    },
  })
}

/** Who asked to hand over what, as far as the transaction has come. */
const attemptOf = (
  { now }: Pick<Deps, 'now'>,
  { remoteAddress, hostNameAppearsAs, envelope }: SMTPServerSession,
) => ({
  at: now(),
  ip: remoteAddress,
  helo: hostNameAppearsAs || '',
  envelopeFrom: envelope.mailFrom ? envelope.mailFrom.address : '',
  recipients: envelope.rcptTo.map(({ address }) => address),
})

async function receive(
  { db, log, now, maxBytes, storeAddress, takenIn, intake }: Deps,
  stream: SMTPServerDataStream,
  session: SMTPServerSession,
): Promise<string> {
  const raw = await readAll(stream, maxBytes)
  // Asked before anything is stored: a message with thousands of parts is an attack, not a message.
  const study = await (intake?.read ?? readMessage)(raw)
  const { parsed } = study
  if (!parsed.ok && parsed.problem.code === 'too-many-parts') {
    throw refusal('too-many-parts', { limit: parsed.problem.limit })
  }
  const { mailFrom, rcptTo } = session.envelope
  const own = await Promise.all(rcptTo.map(({ address }) => ownAddress(db, address)))
  if (own.includes('reports')) return takeReport({ db, log, now, intake }, raw, parsed, session)
  if (own.includes('help')) {
    const asked = await enquireByMail(db, handedIn({ db, log, now, intake }, raw, parsed, session))
    if (!asked.ok) throw refusal(asked.problem)
    return acknowledgement('question-taken')
  }
  if (own.includes('digests')) {
    const isReport = attemptOf({ now }, session).envelopeFrom === '' && session.remoteAddress === storeAddress
    if (isReport && (await takeStoreReport(db, raw, now()))) return acknowledgement('noted')
    const taken = await takeDigestReply({ db, log, now, intake }, raw, parsed, session)
    takenIn()
    return taken
  }
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
    read: () => Promise.resolve(study),
  })
  if (!taken) throw new Error('nothing was taken in')
  log.tookIn(taken.messageId, taken.deliveries.length, raw.length)
  takenIn()
  return acknowledgement('taken', { id: taken.messageId })
}

/** Addresses of Pendro itself: where reports are handed in, questions asked, and where digests come from. */
async function ownAddress(db: Database, address: string): Promise<'reports' | 'digests' | 'help' | null> {
  const organisation = await findOrganisation(db)
  if (!organisation) return null
  const wanted = address.toLowerCase()
  if (organisation.reportAddress && organisation.reportAddress === wanted) return 'reports'
  if (organisation.helpAddress && organisation.helpAddress === wanted) return 'help'
  return organisation.digestAddress === wanted ? 'digests' : null
}

type Own = Pick<Deps, 'db' | 'log' | 'now' | 'intake'>
type ParsedMail = ReadMessage['parsed']

const handedIn = ({ now, intake }: Own, raw: Buffer, parsed: ParsedMail, session: SMTPServerSession) => {
  const { mailFrom } = session.envelope
  return {
    raw,
    parsed,
    envelopeFrom: mailFrom ? mailFrom.address : '',
    connection: { ip: session.remoteAddress, helo: session.hostNameAppearsAs || '' },
    authenticate: intake?.authenticate,
    now: now(),
  }
}

/** A reply to a digest: what it asks for is done before it is acknowledged. */
async function takeDigestReply(
  own: Own,
  raw: Buffer,
  parsed: ParsedMail,
  session: SMTPServerSession,
): Promise<string> {
  const taken = await takeReply(own.db, handedIn(own, raw, parsed, session))
  if (!taken.ok) throw refusal(taken.problem)
  own.log.digestReply(taken.value)
  return acknowledgement('reply-taken')
}

/** Mail to the report address: what a colleague attached to it, or the answer why it was not taken. */
async function takeReport(
  own: Own,
  raw: Buffer,
  parsed: ParsedMail,
  session: SMTPServerSession,
): Promise<string> {
  const taken = await reportByMail(own.db, handedIn(own, raw, parsed, session))
  if (!taken.ok) throw refusal(taken.problem)
  own.log.reported(taken.value)
  return acknowledgement('report-taken', { count: taken.value })
}

async function readAll(stream: SMTPServerDataStream, maxBytes: number): Promise<Buffer> {
  const chunks: Buffer[] = []
  let size = 0
  for await (const chunk of stream as AsyncIterable<Buffer>) {
    size += chunk.length
    // Read on to the end, as the protocol asks, but keep nothing more of it.
    if (size <= maxBytes) chunks.push(chunk)
  }
  if (size > maxBytes) throw refusal('too-large', { limit: maxBytes })
  return Buffer.concat(chunks)
}
