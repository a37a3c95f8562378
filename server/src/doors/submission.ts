import { createHash, timingSafeEqual } from 'node:crypto'
import { SMTPServer, type SMTPServerSession } from 'smtp-server'
import { covers } from '@pendro/core/address'
import { isInNetworks } from '@pendro/core/authentication'
import { isBusy } from '../db/database.ts'
import { organisationNow, usualOutgoing, type Organisation } from '../db/organisation.ts'
import { signingKey } from '../db/signing-keys.ts'
import { isDatabaseAway } from '../errors.ts'
import { readIncoming } from '../intake/incoming.ts'
import { storeOutgoing, type Sent } from '../intake/outbound.ts'
import { readAddress } from '../intake/recipients.ts'
import { acknowledgement, refusal } from '../intake/smtp-answers.ts'
import { createBatches } from '../jobs/batches.ts'
import { countHops, countRelays } from '../outbox/trace.ts'
import { readMessage } from '../reading/reading.ts'
import { createRates } from './peers.ts'
import { readAll } from './read-all.ts'
import { createVisits, type Answer } from './visits.ts'
import { doorOptions, mostHops, mostMessages, type Deps, type Door } from './smtp-in.ts'

/** One account for the organisation's own mail server, where its address is not proof enough. */
export interface Account {
  /** '' for none. */
  readonly user: string
  readonly password: string
}

/** What the doors for outgoing mail share. */
export interface Submitting extends Deps {
  readonly account: Account
  readonly store: (sent: Sent) => Promise<number>
  /** Whether an address may try one more password in this minute. */
  readonly mayTry: ReturnType<typeof createRates>
  readonly isWithinRate: ReturnType<typeof createRates>
}

const mostTogether = 64
const mostTries = 10
/** More than any mailing that a mail server cuts into parts (RFC 5321 §4.5.3.1.8 wants 100). */
const mostRecipients = 500
/** Times a message may go out by us; lists and forwards bring one back once or twice. */
const mostRelays = 3

export function createSubmitting(deps: Deps, account: Account): Submitting {
  return {
    ...deps,
    account,
    store: createBatches<Sent, number>({
      most: mostTogether,
      run: sent => storeOutgoing(deps.db, sent),
      isEverybodys: error => isDatabaseAway(error) || isBusy(error),
    }),
    mayTry: createRates(),
    isWithinRate: createRates(),
  }
}

interface Seen {
  messages: number
  organisation: Organisation | null
  /** The organisation's own mail server, by its network. */
  isServer: boolean
}

/**
 * The door for what colleagues send: from the organisation's own mail servers alone, by their network or by an account over TLS, and from
 * own domains alone. It is noted and goes on; 250 comes after it is committed. RFC 6409.
 */
export function createSubmission(submitting: Submitting, door: Door): SMTPServer {
  const { account, maxBytes, now } = submitting
  const visits = createVisits(door.secure ? 'submission-tls' : 'submission', submitting.traffic)
  const seen = new WeakMap<object, Seen>()
  const seenOf = (session: SMTPServerSession): Seen => {
    const known = seen.get(session) ?? { messages: 0, organisation: null, isServer: false }
    seen.set(session, known)
    return known
  }
  return new SMTPServer({
    ...doorOptions(door, maxBytes),
    authOptional: true,
    authMethods: ['PLAIN', 'LOGIN'],
    onConnect(session, callback) {
      const isSafe = door.certificate?.().state === 'good'
      // The library has a certificate of its own, whose key everybody knows: offered is ours or none.
      const disabledCommands = [...(account.user === '' ? ['AUTH'] : []), ...(isSafe ? [] : ['STARTTLS'])]
      Object.assign(session, { disabledCommands })
      visits.come(session)
      const say = visits.saying(session, callback)
      whoComes(submitting, session.remoteAddress).then(
        ({ refused, ...who }) => {
          Object.assign(seenOf(session), who)
          say(refused)
        },
        () => say(refusal('database-away')),
      )
    },
    onClose(session) {
      visits.gone(session)
    },
    onAuth({ username, password }, session, callback) {
      if (!submitting.mayTry(session.remoteAddress, mostTries, now().getTime()))
        return callback(refusal('too-many-tries'))
      const isRight = isSame(username ?? '', account.user) && isSame(password ?? '', account.password)
      if (isRight && account.user !== '') return callback(null, { user: account.user })
      visits.saying(session, callback)(refusal('wrong-password'))
    },
    onMailFrom({ address }, session, callback) {
      visits.saying(session, callback)(mayBegin(door, session, seenOf(session), address))
    },
    onRcptTo({ address }, session, callback) {
      const say = visits.saying(session, callback)
      if (session.envelope.rcptTo.length >= mostRecipients) return say(refusal('too-many-recipients'))
      say(isPlain(address) ? null : refusal('odd-recipient'))
    },
    onData(stream, session, callback) {
      const known = seenOf(session)
      known.messages += 1
      if (known.messages > mostMessages) {
        stream.resume()
        return callback(refusal('too-many-messages'))
      }
      const message = receive(submitting, stream, session, known)
      visits.settle(session, message, error => toldOf(submitting, error), callback)
    },
  })
}

/** Whether a message may begin: nothing, or the refusal the client is told. */
function mayBegin(
  { needsTls = false }: Door,
  { secure, user }: SMTPServerSession,
  { isServer, organisation }: Seen,
  sender: string | null,
): Error | null {
  if (needsTls && !secure) return refusal('needs-tls')
  if (!isServer && !user) return refusal('needs-sign-in')
  return !sender || isOurs(organisation, sender) ? null : refusal('sender-not-ours')
}

/** What a client is told of a message that was not taken: its own refusal, or to come again later. */
function toldOf({ log }: Submitting, error: Answer): Answer {
  if (error.responseCode !== undefined) return error
  if (isDatabaseAway(error)) log.databaseAway('smtp submission', error)
  else log.intakeFailed(error)
  return refusal('database-away')
}

async function whoComes({ db, account }: Submitting, ip: string) {
  const organisation = await organisationNow(db)
  const { mode, servers } = organisation?.outgoing ?? usualOutgoing
  const isServer = isInNetworks(ip, servers)
  const mayCome = isServer || account.user !== ''
  const refused = mode !== 'relay' ? refusal('submission-off') : mayCome ? null : refusal('not-own-server')
  return { organisation, isServer, refused }
}

const isSame = (given: string, known: string): boolean =>
  timingSafeEqual(createHash('sha256').update(given).digest(), createHash('sha256').update(known).digest())

function isOurs(organisation: Organisation | null, text: string): boolean {
  const address = readAddress(text)
  return (
    isPlain(text) &&
    address !== null &&
    (organisation?.policy.ownDomains.some(own => covers(own, address.domain)) ?? false)
  )
}

/**
 * An address that means one mailbox and no way to another: no percent sign or exclamation mark that a server behind might follow, no source
 * route (RFC 5321 appendix C), no quoted part with another address in it.
 */
const isPlain = (text: string): boolean =>
  /^[^@%!"<>()[\],:;\\\s]{1,64}@[^@%!"<>()[\],:;\\\s]{1,255}$/u.test(text) && readAddress(text) !== null

async function receive(
  { db, now, maxBytes, intake, store, takenIn, log, isWithinRate }: Submitting,
  stream: Parameters<typeof readAll>[0],
  session: SMTPServerSession,
  { organisation }: Seen,
): Promise<string> {
  const at = now()
  const { listed } = organisation?.peers ?? { listed: { perMinute: 10_000 } }
  const { mailFrom, rcptTo } = session.envelope
  const raw = await readAll(stream, maxBytes)
  if (!isWithinRate(session.remoteAddress, listed.perMinute, at.getTime())) throw refusal('too-many-a-minute')
  if (countHops(raw) > mostHops) throw refusal('routing-loop', { limit: mostHops })
  if (countRelays(await signingKey(db, 'deliveries'), raw) >= mostRelays)
    throw refusal('routing-loop', { limit: mostRelays - 1 })
  const incoming = {
    raw,
    envelopeFrom: mailFrom ? mailFrom.address : '',
    recipients: [...new Set(rcptTo.map(({ address }) => address))],
    receivedAt: at,
    connection: { ip: session.remoteAddress, helo: session.hostNameAppearsAs || '' },
  }
  const study = await (intake?.read ?? readMessage)(raw)
  if (!study.parsed.ok) throw refusal('unreadable-message')
  // Mail without a sender to tell is a program's; it has to say at least in its header that it is ours.
  const { fromDomains } = study.parsed.value
  const own = organisation?.policy.ownDomains ?? []
  const isFromUs = fromDomains.length > 0 && fromDomains.every(domain => own.some(one => covers(one, domain)))
  if (incoming.envelopeFrom === '' && !isFromUs) throw refusal('sender-not-ours')
  const read = await readIncoming(
    incoming,
    { trustedHosts: [], gateways: [] },
    { read: () => Promise.resolve(study) },
  )
  const id = await store({ ...read, goesOn: true })
  log.tookIn(id, 0, raw.length)
  takenIn()
  return acknowledgement('taken', { id })
}
