import { SMTPServer, type SMTPServerDataStream, type SMTPServerSession } from 'smtp-server'
import { isInNetworks } from '@pendro/core/authentication'
import type { Database } from '../db/database.ts'
import { isDatabaseAway } from '../errors.ts'
import { createBatches } from '../jobs/batches.ts'
import type { Log } from '../log.ts'
import { organisationNow, usualOutgoing, usualPeers, type Organisation } from '../db/organisation.ts'
import { takeReply } from '../digests/replies.ts'
import { reportByMail } from '../reports/by-mail.ts'
import { enquireByMail } from '../whereabouts/by-mail.ts'
import { answersLetter } from '../whereabouts/letters.ts'
import { takeStatusNotification } from '../whereabouts/status-notifications.ts'
import { noteRefusal } from '../whereabouts/refusals.ts'
import { readHere } from '../reading/reader.ts'
import { readMessage, type ReadMessage } from '../reading/reading.ts'
import { acknowledgement, refusal } from '../intake/smtp-answers.ts'
import { countHops } from '../outbox/trace.ts'
import { readIncoming, type Read } from '../intake/incoming.ts'
import { takeOutgoing } from '../intake/outbound.ts'
import { createIntake, type IntakeOptions, type TakenIn } from '../intake/intake.ts'
import type { Certificate } from './certificate.ts'
import { createRates, peerOf, type Peer } from './peers.ts'
import { readAll } from './read-all.ts'
import { createVisits, type Answer } from './visits.ts'
import type { Traffic } from '../traffic/traffic.ts'
import { resolveRecipients } from '../intake/recipients.ts'

export interface Deps {
  readonly db: Database
  readonly log: Log
  readonly now: () => Date
  readonly maxBytes: number
  /** Where the mail store connects from, beside the networks the organisation lists for it. */
  readonly storeAddress?: string
  /** How messages are read and checked; see intake. */
  readonly intake?: Omit<IntakeOptions, 'onward'>
  /** Where colleagues find their own pages; '' or left out for nowhere. */
  readonly publicUrl?: string
  /** Counts what comes by each door. */
  readonly traffic?: Traffic
  /** Called after each commit, so that what goes on does not wait for the next look at the queue. */
  readonly takenIn: () => void
}

/** What every door hands its messages to. */
export interface Receiving extends Deps {
  /** Whom an address belongs to; those asked for at the same moment are asked for together. */
  readonly find: (address: string) => Promise<Found>
  /** How many messages have arrived whole and are being read, so that they will soon be to store. */
  readonly flow: { coming: number }
  /** Judges and stores what was read; settles when that is committed. */
  readonly store: (read: Read) => Promise<TakenIn>
  /** Connections that are open, by address. */
  readonly open: Map<string, number>
  /** Whether an address may hand over one more message in this minute. */
  readonly isWithinRate: ReturnType<typeof createRates>
}

/** What one transaction and one peer may ask for. RFC 5321 §4.5.3.1.8 wants 100 recipients taken at least. */
const mostRefusedKept = 20
const mostRefused = 100
const mostConnections = 200
export const mostMessages = 1000
/** RFC 5321 §4.5.3.2.7: a server waits five minutes for a command. */
const idle = 300_000
/** Recipients in the header of a copy that are noted; a mailing to thousands is no correspondence. */
const mostCopied = 200
/** RFC 5321 §6.3: more hops are a loop. */
export const mostHops = 100

/** What a session has done so far; sessions end with their connection. */
interface Seen {
  messages: number
  refused: number
  /** As of the last recipient; what a message is taken in by. */
  organisation: Organisation | null
  /** `null` while nobody could say: asked again before anything is taken. */
  peer: Peer | null
}

/** Of whoever has not been looked up: a stranger's. */
const limitsOf = (peer: Peer | null): Peer['limits'] => peer?.limits ?? usualPeers.unlisted

/** How one door differs from another. */
export interface Door {
  /** Speaks TLS from the first byte. */
  readonly secure?: boolean
  /** Takes mail over TLS only. */
  readonly needsTls?: boolean
  /** Balancers that say in the PROXY protocol who is behind them. */
  readonly proxies?: readonly string[]
  /** What is shown to clients, as it is now; without it the door speaks no TLS. */
  readonly certificate?: () => Certificate
}

/** What doors share: messages that come in by any of them at the same moment are stored together. */
export function createReceiver(deps: Deps): Receiving {
  const flow = { coming: 0 }
  return {
    ...deps,
    flow,
    find: createFind(deps.db),
    store: createIntake(deps.db, { onward: 'queue', lab: deps.intake?.lab }, () => flow.coming > 0),
    open: new Map(),
    isWithinRate: createRates(),
  }
}

/** What every door asks of the library. */
export function doorOptions({ secure = false, proxies = [], certificate }: Door, size: number) {
  const shown = certificate?.() ?? { state: 'off' }
  return {
    banner: 'Pendro',
    secure,
    ...(shown.state === 'good' && { cert: shown.cert, key: shown.key }),
    minVersion: 'TLSv1.2' as const,
    disabledCommands: ['AUTH', 'STARTTLS'],
    size,
    maxClients: mostConnections,
    socketTimeout: idle,
    useProxy: proxies.length > 0 ? [...proxies] : false,
    // Names in EHLO need not resolve; looking them up would leave this machine.
    disableReverseLookup: true,
    logger: false as const,
  }
}

/** A door: answers 250 only after the message and its deliveries are committed (domain.md §1). */
export function createSmtpIn(receiving: Receiving, door: Door = {}): SMTPServer {
  const { maxBytes, open } = receiving
  const visits = createVisits(door.secure ? 'incoming-tls' : 'incoming', receiving.traffic)
  const seen = new WeakMap<object, Seen>()
  const seenOf = (session: SMTPServerSession): Seen => {
    const known = seen.get(session) ?? { messages: 0, refused: 0, organisation: null, peer: null }
    seen.set(session, known)
    return known
  }
  const connect = async (session: SMTPServerSession): Promise<Error | null> => {
    const { remoteAddress } = session
    const others = open.get(remoteAddress) ?? 0
    open.set(remoteAddress, others + 1)
    const peer = await findPeer(receiving, remoteAddress)
    seenOf(session).peer = peer
    if (peer?.isAdmitted === false) return refusal('not-listed')
    return others >= limitsOf(peer).connections ? refusal('too-many-connections') : null
  }
  return new SMTPServer({
    ...doorOptions(door, maxBytes),
    onConnect(session, callback) {
      // The library has a certificate of its own, whose key everybody knows: offered is ours or none.
      if (door.certificate?.().state === 'good') Object.assign(session, { disabledCommands: ['AUTH'] })
      visits.come(session)
      void connect(session).then(visits.saying(session, callback))
    },
    onClose(session) {
      visits.gone(session)
      const { remoteAddress } = session
      const others = (open.get(remoteAddress) ?? 1) - 1
      if (others > 0) open.set(remoteAddress, others)
      else open.delete(remoteAddress)
    },
    onMailFrom({ args }, session, callback) {
      const said = Number((args as { SIZE?: string }).SIZE ?? 0)
      void mayBegin(receiving, door, session, seenOf(session), said).then(visits.saying(session, callback))
    },
    onRcptTo({ address }, session, callback) {
      void answerRecipient(receiving, address, session, seenOf(session)).then(
        visits.saying(session, callback),
      )
    },
    onData(stream, session, callback) {
      const done = seenOf(session)
      done.messages += 1
      if (done.messages > mostMessages) {
        stream.resume()
        return callback(refusal('too-many-messages'))
      }
      const message = receive(receiving, stream, session, done)
      visits.settle(session, message, error => refuseData(receiving, session, error), callback)
    },
  })
}

/** Whether a message may begin: nothing, or the refusal the client is told. */
async function mayBegin(
  receiving: Receiving,
  { needsTls = false }: Door,
  { secure, remoteAddress }: SMTPServerSession,
  done: Seen,
  size: number,
): Promise<Error | null> {
  // The database may have been away when they came; it must not be a way in.
  done.peer ??= await findPeer(receiving, remoteAddress)
  if (done.peer === null) return refusal('database-away')
  const { isAdmitted, limits } = done.peer
  if (!isAdmitted) return refusal('not-listed')
  if (needsTls && !secure) return refusal('needs-tls')
  const limit = bytesOf(receiving, limits)
  if (size > limit) return refusal('too-large', { limit })
  const may = receiving.isWithinRate(remoteAddress, limits.perMinute, receiving.now().getTime())
  return may ? null : refusal('too-many-a-minute')
}

interface Found {
  readonly isKnown: boolean
  readonly organisation: Organisation | null
}

const mostAsked = 200

const createFind = (db: Database) =>
  createBatches<string, Found>({
    most: mostAsked,
    isEverybodys: isDatabaseAway,
    run: async addresses => {
      const organisation = await organisationNow(db)
      const found = await resolveRecipients(db, addresses)
      return addresses.map(address => ({ isKnown: found.has(address), organisation }))
    },
  })

/** Whether a recipient is one of ours: nothing, or the refusal the client is told. */
async function answerRecipient(
  deps: Receiving,
  address: string,
  session: SMTPServerSession,
  done: Seen,
): Promise<Error | null> {
  const { db, log } = deps
  if (session.envelope.rcptTo.length >= limitsOf(done.peer).recipients) return refusal('too-many-recipients')
  if (done.refused >= mostRefused) return refusal('too-many-refused')
  try {
    const { isKnown, organisation } = await deps.find(address)
    done.organisation = organisation
    if (isKnown || serviceAt(organisation, address)) return null
    const refused = refusal('no-mailbox', { address })
    done.refused += 1
    // Somebody who tries addresses must not fill the table with them.
    if (done.refused <= mostRefusedKept)
      await noteRefusal(db, log, {
        ...attemptOf(deps, session),
        recipients: [address],
        code: refused.responseCode,
        reason: refused.message,
      })
    return refused
  } catch (error) {
    log.databaseAway('smtp recipient', error)
    return refusal('database-away')
  }
}

/** Counts a message as on its way while it is read. One that is still being sent is not: a slow sender holds up nobody. */
async function coming<T>(flow: Receiving['flow'], reading: Promise<T>): Promise<T> {
  flow.coming += 1
  try {
    return await reading
  } finally {
    flow.coming -= 1
  }
}

/** What the client is told of a message that was not taken: its own refusal, or to come again later. */
async function refuseData(deps: Deps, session: SMTPServerSession, error: Answer): Promise<Answer> {
  const { db, log } = deps
  if (error.responseCode !== undefined) {
    const attempt = attemptOf(deps, session)
    await noteRefusal(db, log, {
      ...attempt,
      recipients: attempt.recipients.slice(0, mostRefusedKept),
      code: error.responseCode,
      reason: error.message,
    })
    return error
  }
  if (isDatabaseAway(error)) log.databaseAway('smtp data', error)
  else log.intakeFailed(error)
  return refusal('database-away')
}

/** What an address may hand over; `null` while the database is away: nobody is turned away for that at the greeting. */
async function findPeer({ db, storeAddress }: Deps, ip: string): Promise<Peer | null> {
  try {
    return peerOf(await organisationNow(db), ip, storeAddress)
  } catch {
    return null
  }
}

const bytesOf = ({ maxBytes }: Pick<Deps, 'maxBytes'>, { megabytes }: Peer['limits']) =>
  Math.min(maxBytes, megabytes * 1_000_000)

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
  deps: Receiving,
  stream: SMTPServerDataStream,
  session: SMTPServerSession,
  { organisation, peer }: Seen,
): Promise<string> {
  const { intake } = deps
  const raw = await readAll(stream, bytesOf(deps, limitsOf(peer)))
  if (countHops(raw) > mostHops) throw refusal('routing-loop', { limit: mostHops })
  // Asked before anything is stored: a message with thousands of parts is an attack, not a message.
  const study = await coming(deps.flow, (intake?.read ?? readMessage)(raw))
  if (!study.parsed.ok && study.parsed.problem.code === 'too-many-parts')
    throw refusal('too-many-parts', { limit: study.parsed.problem.limit })
  const { rcptTo } = session.envelope
  const own = rcptTo.map(({ address }) => serviceAt(organisation, address))
  const colleagues = rcptTo.map(({ address }) => address).filter((_, i) => own[i] === null)
  const services = [...new Set(own.filter(kind => kind !== null))]
  // Colleagues first: what they were sent arrives whatever an address of Pendro's makes of its copy.
  const taken =
    colleagues.length > 0
      ? await takeForColleagues(deps, { raw, study, session, colleagues, organisation })
      : null
  if (taken === null && services.length === 1) return serve(deps, services[0] ?? 'help', raw, study, session)
  for (const service of services)
    await serve(deps, service, raw, study, session).catch((error: unknown) =>
      deps.log.serviceRefused(service, error),
    )
  return taken ?? acknowledgement('noted')
}

interface Arrived {
  readonly raw: Buffer
  readonly study: ReadMessage
  readonly session: SMTPServerSession
  readonly colleagues: readonly string[]
  readonly organisation: Organisation | null
}

async function takeForColleagues(
  { log, now, takenIn, intake, store, flow }: Receiving,
  { raw, study, session, colleagues, organisation }: Arrived,
): Promise<string> {
  if (!organisation) throw new Error('no organisation to take mail in for')
  const { mailFrom } = session.envelope
  const incoming = {
    raw,
    envelopeFrom: mailFrom ? mailFrom.address : '',
    recipients: colleagues,
    receivedAt: now(),
    connection: { ip: session.remoteAddress, helo: session.hostNameAppearsAs || '' },
  }
  const reading = readIncoming(incoming, organisation.policy, {
    ...intake,
    read: () => Promise.resolve(study),
  })
  const read = await coming(flow, reading)
  const taken = await store(read)
  log.tookIn(taken.messageId, taken.deliveries.length, raw.length)
  takenIn()
  return acknowledgement('taken', { id: taken.messageId })
}

type Service = 'reports' | 'digests' | 'help' | 'journal'

/** Mail to an address of Pendro itself; throws the refusal that the client is told. */
async function serve(
  { db, log, now, storeAddress, takenIn, intake, publicUrl = '' }: Deps,
  service: Service,
  raw: Buffer,
  { parsed }: ReadMessage,
  session: SMTPServerSession,
): Promise<string> {
  switch (service) {
    case 'reports':
      return takeReport({ db, log, now, intake }, raw, parsed, session)
    case 'journal':
      return takeCopy({ db, log, now, intake }, raw, parsed, session)
    case 'help':
      return takeQuestion({ db, log, now, intake }, raw, parsed, session)
    case 'digests': {
      const isNotification =
        attemptOf({ now }, session).envelopeFrom === '' &&
        (await isStore(db, session.remoteAddress, storeAddress))
      if (
        isNotification &&
        (await takeStatusNotification(db, raw, {
          read: intake?.statusNotification ?? readHere.statusNotification,
          now: now(),
        }))
      )
        return acknowledgement('noted')
      // Where there is no help address, answers to letters come here.
      if (parsed.ok && (await answersLetter(db, parsed.value.answers)))
        return takeQuestion({ db, log, now, intake }, raw, parsed, session)
      const taken = await takeDigestReply({ db, log, now, intake, publicUrl }, raw, parsed, session)
      takenIn()
      return taken
    }
  }
}

/** Whether a connection is the mail store's: listed by the organisation, or the one mail is handed on to. */
async function isStore(db: Database, ip: string, storeAddress: string | undefined): Promise<boolean> {
  const organisation = await organisationNow(db)
  return ip === storeAddress || isInNetworks(ip, organisation?.policy.stores ?? [])
}

/** Addresses of Pendro itself: where reports are handed in, questions asked, and where digests come from. */
function serviceAt(organisation: Organisation | null, address: string): Service | null {
  if (!organisation) return null
  const wanted = address.toLowerCase()
  if (organisation.reportAddress && organisation.reportAddress === wanted) return 'reports'
  if (organisation.helpAddress && organisation.helpAddress === wanted) return 'help'
  const { mode, journal } = organisation.outgoing ?? usualOutgoing
  if (mode === 'copy' && journal === wanted) return 'journal'
  return organisation.digestAddress === wanted ? 'digests' : null
}

/** A copy of what a colleague sent: noted and kept no longer than other mail; nothing goes on. */
async function takeCopy(
  own: Own,
  raw: Buffer,
  parsed: ParsedMail,
  session: SMTPServerSession,
): Promise<string> {
  const { db, now } = own
  const organisation = await organisationNow(db)
  if (!isInNetworks(session.remoteAddress, organisation?.outgoing?.servers ?? []))
    throw refusal('journal-not-own-server')
  if (!parsed.ok) throw refusal('unreadable-message')
  const { from, to, cc } = parsed.value
  // The envelope is the copy's; who wrote to whom stands in the header.
  const journal = organisation?.outgoing?.journal
  const recipients = [...to, ...cc].map(({ text }) => text).filter(text => text !== journal)
  await takeOutgoing(db, [
    {
      raw,
      envelopeFrom: from[0]?.text ?? '',
      recipients: [...new Set(recipients)].slice(0, mostCopied),
      receivedAt: now(),
      connection: { ip: session.remoteAddress, helo: session.hostNameAppearsAs || '' },
    },
  ])
  return acknowledgement('noted')
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

/** A colleague's question, or their answer to a letter of the help desk. */
async function takeQuestion(
  own: Own,
  raw: Buffer,
  parsed: ParsedMail,
  session: SMTPServerSession,
): Promise<string> {
  const asked = await enquireByMail(own.db, handedIn(own, raw, parsed, session))
  if (!asked.ok) throw refusal(asked.problem)
  return acknowledgement('question-taken')
}

/** A reply to a digest: what it asks for is done before it is acknowledged. */
async function takeDigestReply(
  { publicUrl, ...own }: Own & { readonly publicUrl: string },
  raw: Buffer,
  parsed: ParsedMail,
  session: SMTPServerSession,
): Promise<string> {
  const taken = await takeReply(own.db, { ...handedIn(own, raw, parsed, session), publicUrl })
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
  const taken = await reportByMail(own.db, handedIn(own, raw, parsed, session), {
    ...readHere,
    ...own.intake,
  })
  if (!taken.ok) throw refusal(taken.problem)
  own.log.reported(taken.value)
  return acknowledgement('report-taken', { count: taken.value })
}
