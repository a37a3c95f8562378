import { createHash } from 'node:crypto'
import type { ImapFlow } from 'imapflow'
import type { BegunPart } from '../db/models/stores.ts'
import { openFolder } from './folders.ts'
import { moveIn, searchIn, storeErrorOf } from './imap.ts'

/** Messages behind the place that is known in the other folder, at most: others come there meanwhile. */
const mostNewer = 5000

/** What a part of a move came to. */
export interface Moved {
  readonly part: readonly number[]
  /** Old numbers to new ones, as far as anybody can tell. */
  readonly went: ReadonlyMap<number, number>
  /** Of the folder where it went. */
  readonly validity: number
}

interface Way {
  readonly from: string
  readonly to: string
}

/**
 * What has to be known of a part before it is moved, so that it is found again: what the messages are, and from which number on the other
 * folder gets new ones (RFC 9051 §2.3.1.1). The folder it comes from is open. @throws {StoreError}
 */
export async function beginPart(
  client: ImapFlow,
  { from, to }: Way,
  part: readonly number[],
): Promise<BegunPart> {
  const names = new Map(await namesOf(client, part))
  const there = await client.status(to, { uidNext: true, uidValidity: true }).catch(() => false as const)
  return {
    from,
    to,
    // What the store does not tell anything of is moved all the same.
    part: part.map(uid => [uid, names.get(uid) ?? '']),
    next: (there && there.uidNext) || 1,
    validity: Number((there && there.uidValidity) ?? 0),
  }
}

/** Moves a part that was begun. What the store does not tell of it (COPYUID of RFC 4315) is looked for. @throws {StoreError} */
export async function movePart(client: ImapFlow, begun: BegunPart): Promise<Moved> {
  const part = begun.part.map(([uid]) => uid)
  const { went, uidValidity } = await moveIn(client, part, begun.to)
  if (went.size >= part.length) return { part, went, validity: uidValidity }
  const found = await findPart(client, begun)
  await openFolder(client, begun.from, true)
  return { ...found, part, went: new Map([...found.went, ...went]) }
}

/** What went of a part whose end nobody heard: what is not in its folder any more. Leaves the folder it came from open. @throws {StoreError} */
export async function settlePart(client: ImapFlow, begun: BegunPart): Promise<Moved> {
  await openFolder(client, begun.from, true)
  const stayed = new Set(await searchIn(client, { uid: begun.part.map(([uid]) => uid).join(',') }))
  const gone = begun.part.filter(([uid]) => !stayed.has(uid))
  if (gone.length === 0) return { part: [], went: new Map(), validity: 0 }
  const found = await findPart(client, { ...begun, part: gone })
  await openFolder(client, begun.from, true)
  return found
}

/** Where messages of a part are in the folder they went to: each new one there is taken once, in the order in which they came. */
async function findPart(client: ImapFlow, { to, part, next, validity: expected }: BegunPart): Promise<Moved> {
  const { uidValidity } = await openFolder(client, to)
  const uids = part.map(([uid]) => uid)
  // A folder that was made anew counts from the beginning.
  const first = uidValidity === expected ? next : 1
  const newer = (await searchIn(client, { uid: `${first}:*` })).filter(uid => uid >= first)
  const free = new Map<string, number[]>()
  for (const [uid, name] of await namesOf(client, [...newer].sort((a, b) => a - b).slice(-mostNewer)))
    free.set(name, [...(free.get(name) ?? []), uid])
  const went = new Map<number, number>()
  for (const [uid, name] of part) {
    const place = free.get(name)?.shift()
    if (place !== undefined) went.set(uid, place)
  }
  return { part: uids, went, validity: uidValidity }
}

/** What a message is known by in any folder: its Message-ID, our mark, its size and when it was received, which a move keeps (RFC 6851 §3.3). */
async function namesOf(
  client: ImapFlow,
  uids: readonly number[],
): Promise<readonly (readonly [number, string])[]> {
  if (uids.length === 0) return []
  const query = { uid: true, size: true, internalDate: true, headers: ['Message-ID', 'Pendro-Delivery'] }
  const found = await client.fetchAll([...uids], query, { uid: true }).catch((error: unknown) => {
    throw storeErrorOf(error)
  })
  return found
    .map(({ uid, size, internalDate, headers }) => {
      const known = [new Date(internalDate ?? 0).getTime(), size ?? 0, headers?.toString('latin1') ?? '']
      return [uid, createHash('sha256').update(known.join(' ')).digest('base64url').slice(0, 22)] as const
    })
    .sort(([a], [b]) => a - b)
}
