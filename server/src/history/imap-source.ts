import { ImapFlow } from 'imapflow'
import type { HistorySource } from '../db/models/shapes.ts'
import { largest, mostTogether, SourceError, type Source } from './sources.ts'

type ImapAddress = Extract<HistorySource, { kind: 'imap' }>

interface Failure extends Error {
  readonly authenticationFailed?: boolean
  readonly responseText?: string
  readonly mailboxMissing?: boolean
}

/** What stands in the way, for people. */
function problemOf(error: unknown): SourceError {
  if (error instanceof SourceError) return error
  const { authenticationFailed, mailboxMissing, responseText, message } = error as Failure
  const detail = (responseText ?? message).slice(0, 300)
  if (authenticationFailed) return new SourceError('sign-in', detail)
  if (mailboxMissing) return new SourceError('no-folder', detail)
  return new SourceError('no-answer', detail)
}

/**
 * A folder of an IMAP account, read and never changed (EXAMINE, BODY.PEEK). A place is UIDVALIDITY and the last UID that was read
 * (RFC 9051 §2.3.1.1): a folder that was made anew is another one.
 */
export async function imapSource(
  { host, port, tls, user, folder }: ImapAddress,
  password: string,
  authorities?: string,
): Promise<Source> {
  const client = new ImapFlow({
    host,
    port,
    secure: tls === 'implicit',
    ...(tls === 'starttls' ? { doSTARTTLS: true } : tls === 'off' ? { doSTARTTLS: false } : {}),
    tls: { minVersion: 'TLSv1.2', ...(authorities === undefined ? {} : { ca: authorities }) },
    auth: { user, pass: password },
    logger: false,
    connectionTimeout: 10_000,
    greetingTimeout: 10_000,
    socketTimeout: 60_000,
  })
  // Told by whatever is asked next.
  client.on('error', () => {})
  const close = async () => {
    await client.logout().catch(() => client.close())
  }
  try {
    await client.connect()
    await client.mailboxOpen(folder, { readOnly: true })
  } catch (error) {
    client.close()
    throw problemOf(error)
  }
  return {
    close,
    next: async place => {
      try {
        return await readPart(client, place)
      } catch (error) {
        throw problemOf(error)
      }
    },
  }
}

async function readPart(client: ImapFlow, place: string) {
  const box = client.mailbox
  if (!box) throw new SourceError('no-answer')
  const validity = String(box.uidValidity)
  const [was, after = '0'] = place === '' ? [validity] : place.split('.')
  if (was !== validity) throw new SourceError('changed')
  const total = box.exists
  // "*" names the last one there is, so that the range always has one; those that were read are left away.
  const found = (await client.search({ uid: `${Number(after) + 1}:*` }, { uid: true })) || []
  const uids = found.filter(uid => uid > Number(after)).sort((a, b) => a - b)
  const next = uids.slice(0, mostTogether.messages)
  const done = total - uids.length
  if (next.length === 0)
    return { messages: [], leftOut: 0, place: `${validity}.${after}`, done: total, total, isEnd: true }
  const sizes = new Map<number, number>()
  for await (const { uid, size } of client.fetch(next, { uid: true, size: true }, { uid: true }))
    sizes.set(uid, size ?? 0)
  const messages: Buffer[] = []
  let [leftOut, bytes, last] = [0, 0, Number(after)]
  for (const uid of next) {
    if (bytes >= mostTogether.bytes) break
    last = uid
    const size = sizes.get(uid)
    // Gone meanwhile, or too large to be worth it.
    const one =
      size === undefined || size > largest
        ? null
        : await client.fetchOne(String(uid), { source: true }, { uid: true })
    if (one && one.source) {
      messages.push(one.source)
      bytes += one.source.length
    } else leftOut += 1
  }
  const isEnd = last === uids.at(-1)
  return {
    messages,
    leftOut,
    place: `${validity}.${last}`,
    done: done + uids.filter(uid => uid <= last).length,
    total,
    isEnd,
  }
}
