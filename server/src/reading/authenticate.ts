import { readTrusted, verifyAuthentication, type Connection, type Resolve } from '@pendro/core/authentication'
import type { OrganisationPolicy } from '@pendro/core/judgement'
import type { Message } from '@pendro/core/message'
import { noAuthentication, type Authentication } from '@pendro/core/senders'

/** Pendro's own check of a message; in the server a worker thread does it. */
export type Authenticate = (given: CheckGiven) => Promise<Authentication>
export type CheckGiven = Omit<Parameters<typeof verifyAuthentication>[0], 'resolve'>

interface Arrived {
  readonly raw: Buffer
  readonly message: Message
  readonly envelopeFrom: string
  readonly connection: Connection
  readonly now: Date
}

/** Own checks in this thread, by these look-ups. */
export const checkWith =
  (resolve: Resolve): Authenticate =>
  given =>
    verifyAuthentication({ ...given, resolve })

/** What is known of where a message comes from: the word of a listed gateway, else our own checks, else nothing. */
export async function findAuthentication(
  { raw, message, envelopeFrom, connection, now }: Arrived,
  policy: Pick<OrganisationPolicy, 'trustedHosts' | 'gateways' | 'arcSealers'>,
  authenticate: Authenticate | undefined,
): Promise<Authentication> {
  const { authentication, client } = readTrusted(message.headers, connection, policy)
  if (authentication) return authentication
  if (!authenticate) return noAuthentication
  return authenticate({
    raw,
    fromDomain: message.from[0]?.address?.domain ?? '',
    envelopeFrom,
    connection: client,
    now: now.getTime(),
    arcSealers: policy.arcSealers ?? [],
  })
}
