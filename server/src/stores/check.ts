import { createTransport } from 'nodemailer'
import type { checkStore, MailStoreShape, RouteHost } from '@pendro/contract'
import type { z } from 'zod'
import { transportOptions } from '../outbox/host.ts'
import { hostName, type Secrets } from '../outbox/secrets.ts'
import { foldersOf } from './folders.ts'
import { endImap, hasImap, openImap, StoreError, storeErrorOf } from './imap.ts'
import { openSieve, withSieve } from './manage-sieve.ts'

type Step = z.input<typeof checkStore.response>['steps'][number]

/** Tries what a store is set to be able to, as far as signing in: nothing is sent, nothing is changed. */
export async function tryStore(
  store: MailStoreShape,
  address: string,
  secrets: Secrets,
): Promise<readonly Step[]> {
  const steps = await Promise.all([
    ...store.hosts.map(async host => [await handOver(host, secrets)]),
    lookIn(store, address, secrets),
    scripts(store, address, secrets),
  ])
  return steps.flat()
}

const good = (step: Step['step'], at: string): Step => ({ step, works: true, at, trouble: '', detail: '' })

const bad = (step: Step['step'], at: string, error: unknown): Step => {
  const { trouble, message } = storeErrorOf(error)
  return { step, works: false, at, trouble, detail: message }
}

async function handOver(host: RouteHost, secrets: Secrets): Promise<Step> {
  const at = hostName(host)
  try {
    const transport = createTransport({
      ...(await transportOptions(host, secrets)),
      connectionTimeout: 5000,
      greetingTimeout: 5000,
      socketTimeout: 10_000,
    })
    await transport.verify()
    transport.close()
    return good('hand-over', at)
  } catch (error) {
    const { code, response } = error as { code?: string; response?: string }
    return bad('hand-over', at, code === 'EAUTH' ? new StoreError('sign-in', response) : error)
  }
}

async function lookIn(store: MailStoreShape, address: string, secrets: Secrets): Promise<readonly Step[]> {
  if (!hasImap(store)) return []
  const at = hostName(store.imap)
  try {
    const client = await openImap(store, address, secrets)
    try {
      const kinds = new Map((await foldersOf(client, store)).map(({ kind, path }) => [kind, path]))
      const folder = (kind: 'junk' | 'aside', named: string): Step => {
        const path = kinds.get(kind)
        return path === undefined
          ? { step: kind, works: false, at: named, trouble: 'refused', detail: '' }
          : good(kind, path)
      }
      const canMove = ['MOVE', 'UIDPLUS', 'IMAP4rev2'].some(one => client.capabilities.has(one))
      return [
        good('imap', at),
        canMove ? good('move', at) : { step: 'move', works: false, at, trouble: 'refused', detail: 'MOVE' },
        folder('junk', store.junkFolder),
        ...(store.asideFolder === '' ? [] : [folder('aside', store.asideFolder)]),
      ]
    } finally {
      await endImap(client)
    }
  } catch (error) {
    return [bad('imap', at, error)]
  }
}

async function scripts(store: MailStoreShape, address: string, secrets: Secrets): Promise<readonly Step[]> {
  const { sieve } = store
  if (sieve === null) return []
  const at = hostName(sieve)
  try {
    await withSieve(openSieve({ ...store, sieve }, address, secrets), session => session.list())
    return [good('sieve', at)]
  } catch (error) {
    return [bad('sieve', at, error)]
  }
}
