import type { Connection } from '@pendro/core/authentication'
import type { OrganisationPolicy } from '@pendro/core/judgement'
import type { Message } from '@pendro/core/message'
import { noAuthentication, type Authentication } from '@pendro/core/senders'
import { findAuthentication, type Authenticate } from '../reading/authenticate.ts'
import { readMessage, type Packed, type ReadMessage } from '../reading/reading.ts'

/** One message as SMTP handed it over. */
export interface Incoming {
  readonly raw: Buffer
  /** '' for the empty reverse-path of RFC 5321 §4.5.5. */
  readonly envelopeFrom: string
  readonly recipients: readonly string[]
  readonly receivedAt: Date
  /** Who handed it over; a gateway's Received field tells better where there is one. */
  readonly connection?: Connection
}

/** A message with all that is known of it before anything is asked of the database. */
export interface Read {
  readonly incoming: Incoming
  /** `null` when it could not be read. */
  readonly message: Message | null
  /** What is stored of the bytes and of the reading, packed. */
  readonly packed: Packed
  readonly likeness: ReadMessage['likeness']
  readonly language: ReadMessage['language']
  readonly problem: string | null
  readonly authentication: Authentication
}

interface Readers {
  /** Reads the bytes; worker threads with a deadline in the server, so that no message holds up the rest. */
  readonly read?: typeof readMessage
  /** Own checks of messages that no listed gateway has checked; without it they count as not authenticated. */
  readonly authenticate?: Authenticate
}

const nobody: Connection = { ip: '', helo: '' }

/** Reads and checks a message: everything that needs its bytes and nothing that needs the database. */
export async function readIncoming(
  incoming: Incoming,
  policy: Pick<OrganisationPolicy, 'trustedHosts' | 'gateways' | 'arcSealers'>,
  { read = readMessage, authenticate }: Readers = {},
): Promise<Read> {
  const { raw, envelopeFrom, connection = nobody, receivedAt: now } = incoming
  const { parsed, packed, likeness, language } = await read(raw)
  const known = { incoming, packed, likeness, language }
  if (!parsed.ok)
    return {
      ...known,
      message: null,
      problem: parsed.problem.code,
      authentication: noAuthentication,
    }
  const message = parsed.value
  const authentication = await findAuthentication(
    { raw, message, envelopeFrom, connection, now },
    policy,
    authenticate,
  )
  return { ...known, message, problem: null, authentication }
}
