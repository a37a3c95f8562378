import { ImapFlow, type SearchObject } from 'imapflow'
import type { MailStoreShape } from '@pendro/contract'
import { harmlessLine } from '@pendro/core/text'
import type { StoreTrouble } from '../db/models/stores.ts'
import { tlsOptions, unreadable } from '../outbox/host.ts'
import type { Secrets } from '../outbox/secrets.ts'
import { forgetToken, tokenOf, TokenError } from './tokens.ts'

/** A mail store that can be looked into. */
export type LookedInto = MailStoreShape & { readonly imap: NonNullable<MailStoreShape['imap']> }

/** Whether a store can be looked into. */
export const hasImap = (store: MailStoreShape | null): store is LookedInto =>
  store !== null && store.imap !== null

/** Why a mail store did not do what it was asked. `message` is what it said, on one line. */
export class StoreError extends Error {
  readonly trouble: Exclude<StoreTrouble, ''>

  constructor(trouble: Exclude<StoreTrouble, ''>, said = '') {
    super(harmlessLine(said).slice(0, 500))
    this.trouble = trouble
  }
}

interface Failure extends Error {
  readonly code?: string
  readonly authenticationFailed?: boolean
  readonly serverResponseCode?: string
  readonly responseStatus?: string
  readonly responseText?: string
  readonly mailboxMissing?: boolean
}

/** Of Node's TLS: nobody vouches for the certificate, or for another name or time. */
const isAboutCertificate = (code: string) =>
  /^(CERT_|ERR_TLS_CERT|UNABLE_TO_|SELF_SIGNED|DEPTH_ZERO|ERR_SSL_|EPROTO)/.test(code) || code === unreadable

/** What stands in the way, as one of a few words. RFC 5530 names the codes. */
export function storeErrorOf(error: unknown): StoreError {
  if (error instanceof StoreError) return error
  if (error instanceof TokenError) return new StoreError('sign-in', error.message)
  const {
    code = '',
    message,
    responseText,
    serverResponseCode,
    responseStatus,
    authenticationFailed,
  } = error as Failure
  const said = responseText ?? message
  const response = (serverResponseCode ?? '').toUpperCase()
  if (isAboutCertificate(code)) return new StoreError('certificate', said)
  if (response === 'OVERQUOTA') return new StoreError('full', said)
  if (response === 'AUTHORIZATIONFAILED') return new StoreError('no-mailbox', said)
  if (authenticationFailed) return new StoreError(response === 'UNAVAILABLE' ? 'no-answer' : 'sign-in', said)
  if (responseStatus === 'NO' || (error as Failure).mailboxMissing) return new StoreError('refused', said)
  if (responseStatus === 'BAD' || /parse|literal|syntax/i.test(`${code} ${message}`))
    return new StoreError('nonsense', said)
  return new StoreError('no-answer', said)
}

const megabyte = 1_000_000
/** What a store may say at once; a message of the largest size fits. */
const mostOfOneAnswer = 64 * megabyte

/** Milliseconds. */
const patience = { connect: 8000, greet: 8000, silence: 40_000 }

/** What went wrong last on each connection: the library tells that to its log, and answers `false`. */
const failures = new WeakMap<ImapFlow, unknown>()

/** Why the library answered `false`. */
export function failureOf(client: ImapFlow, what: string): StoreError {
  const failure = failures.get(client)
  return failure === undefined ? new StoreError('refused', what) : storeErrorOf(failure)
}

/** Numbers of messages in the folder that is open. @throws {StoreError}: a search that failed has not found nothing. */
export async function searchIn(client: ImapFlow, query: SearchObject): Promise<readonly number[]> {
  failures.delete(client)
  const found = await client.search(query, { uid: true })
  if (!found) throw failureOf(client, 'SEARCH')
  return found
}

/** Moves messages of the folder that is open. @returns their new numbers, as far as the store tells them. @throws {StoreError} */
export async function moveIn(
  client: ImapFlow,
  uids: readonly number[],
  to: string,
): Promise<{ readonly went: ReadonlyMap<number, number>; readonly uidValidity: number }> {
  failures.delete(client)
  const result = await client.messageMove([...uids], to, { uid: true })
  if (!result) throw failureOf(client, to)
  return { went: result.uidMap ?? new Map<number, number>(), uidValidity: Number(result.uidValidity ?? 0) }
}

/**
 * A connection for one mailbox. Nothing is asked of the store without TLS where that is wanted. The caller ends it with `endImap`.
 * @throws {StoreError}
 */
export async function openImap(store: LookedInto, address: string, secrets: Secrets): Promise<ImapFlow> {
  const { imap } = store
  let failure: (error: unknown) => void = () => {}
  const quiet = () => {}
  const noticing = (entry: { err?: unknown }) => entry.err !== undefined && failure(entry.err)
  const client: ImapFlow = new ImapFlow({
    host: imap.host,
    port: imap.port,
    secure: imap.tls === 'implicit',
    doSTARTTLS: imap.tls === 'starttls',
    ...(imap.tls === 'off' ? {} : { tls: await certain(tlsOptions(imap, secrets)) }),
    auth: await certain(signInAs(store, address, secrets)),
    logger: { debug: quiet, info: quiet, warn: noticing, error: noticing },
    clientInfo: { name: 'Pendro' },
    disableCompression: true,
    disableAutoIdle: true,
    connectionTimeout: patience.connect,
    greetingTimeout: patience.greet,
    socketTimeout: patience.silence,
    maxLiteralSize: mostOfOneAnswer,
    maxResponseSize: 2 * mostOfOneAnswer,
  })
  failure = error => failures.set(client, error)
  // Told by whatever is asked next.
  client.on('error', () => {})
  try {
    await client.connect()
    return client
  } catch (error) {
    client.close()
    const failure = storeErrorOf(error)
    if (failure.trouble === 'sign-in') forgetToken(store.identity)
    throw failure
  }
}

/** Says goodbye where that is still possible. */
export async function endImap(client: ImapFlow): Promise<void> {
  await client.logout().catch(() => client.close())
}

async function certain<T>(made: Promise<T>): Promise<T> {
  try {
    return await made
  } catch (error) {
    throw storeErrorOf(error)
  }
}

/** SASL PLAIN for somebody else (RFC 4616 §2), or a token with the mailbox it is to be for (RFC 7628 §3.1). */
async function signInAs({ identity, imap }: LookedInto, address: string, secrets: Secrets) {
  if (identity.kind === 'token') return { user: address, accessToken: await tokenOf(identity, secrets) }
  const pass = await secrets.passwordOf({ ...imap, user: identity.user })
  if (pass === null) throw new StoreError('no-password')
  return { user: identity.user, pass, authzid: address, loginMethod: 'AUTH=PLAIN' }
}
