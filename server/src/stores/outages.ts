import { createTransport } from 'nodemailer'
import type { RouteHost } from '@pendro/contract'
import { harmlessLine } from '@pendro/core/text'
import { execute, inTransaction, select, type Database, type Tx } from '../db/database.ts'
import { StoreStates } from '../db/models/stores.ts'
import { organisationNow, standbyOf, type Organisation } from '../db/organisation.ts'
import { findAll } from '../db/rows.ts'
import { transportOptions } from '../outbox/host.ts'
import { tryAllAgain } from '../outbox/queue.ts'
import type { Secrets } from '../outbox/secrets.ts'
import { storeKey, storeOf, wholeStore, type Housed } from '../outbox/stores.ts'
import { storeRoute } from '../outbox/ways.ts'

const seconds = (n: number) => n * 1000
/** Between two looks whether a store answers. */
const every = seconds(10)
const patience = 5000

interface Deps {
  readonly db: Database
  readonly secrets: Secrets
  /** Where everything goes that no store has. */
  readonly store: { readonly host: string; readonly port: number }
  readonly now: () => Date
}

/** Looks whether each mail store answers, when nobody has looked lately; how many that were. */
export async function watchStores({ db, secrets, store, now }: Deps): Promise<number> {
  const organisation = await organisationNow(db)
  const stores = (organisation?.routes?.stores ?? []).map(wholeStore)
  const all = [
    ...stores.map(one => ({ name: storeKey(one), hosts: one.hosts })),
    ...(stores.some(({ houses }) => houses === 'rest') ? [] : [{ name: '', hosts: [storeRoute(store)] }]),
  ]
  const looked = await Promise.all(all.map(one => watchOne({ db, secrets, now }, one)))
  return looked.filter(Boolean).length
}

async function watchOne(
  { db, secrets, now }: Omit<Deps, 'store'>,
  { name, hosts }: { readonly name: string; readonly hosts: readonly RouteHost[] },
): Promise<boolean> {
  const at = now()
  // One process looks; the others see that somebody has.
  await execute(db, 'INSERT IGNORE INTO store_states (name, checked_at) VALUES (:name, :never)', {
    name,
    never: new Date(0),
  })
  const mine = await execute(
    db,
    'UPDATE store_states SET checked_at = :at WHERE name = :name AND checked_at < :since',
    { name, at, since: new Date(at.getTime() - every) },
  )
  if (mine === 0) return false
  const said = await firstProblem(hosts, secrets)
  if (said === null) await noteBack(db, name, at)
  else
    await execute(
      db,
      'UPDATE store_states SET away_since = COALESCE(away_since, :at), detail = :said WHERE name = :name',
      { name, at, said },
    )
  return true
}

/** It answers; where it did not before, what waits goes at once, oldest first. */
async function noteBack(db: Database, name: string, at: Date): Promise<void> {
  await inTransaction(db, async tx => {
    const back = await execute(
      db,
      "UPDATE store_states SET away_since = NULL, detail = '' WHERE name = :name AND away_since IS NOT NULL",
      { name },
      tx,
    )
    if (back > 0) await tryAllNow(db, tx, at)
  })
}

/** A store is back: mail, letters for its Sent folders and marks need not wait until they would be tried again by themselves. */
export async function tryAllNow(db: Database, tx: Tx, at: Date): Promise<void> {
  await tryAllAgain(db, tx, at)
  for (const left of [
    "standby_letters SET next_at = :at WHERE state = 'sent' AND filed_at",
    'standby_marks SET next_at = :at WHERE done_at',
  ])
    await execute(db, `UPDATE ${left} IS NULL AND claimed_until IS NULL AND next_at > :at`, { at }, tx)
}

/** What stands in the way at all of the hosts; `null` where one of them answers. */
async function firstProblem(hosts: readonly RouteHost[], secrets: Secrets): Promise<string | null> {
  let problem: string | null = null
  for (const host of hosts) {
    const said = await problemAt(host, secrets)
    if (said === null) return null
    problem ??= said
  }
  return problem
}

async function problemAt(host: RouteHost, secrets: Secrets): Promise<string | null> {
  try {
    const transport = createTransport({
      ...(await transportOptions(host, secrets)),
      connectionTimeout: patience,
      greetingTimeout: patience,
      socketTimeout: patience,
    })
    try {
      await transport.verify()
    } finally {
      transport.close()
    }
    return null
  } catch (error) {
    const { response, message } = error as Error & { response?: string }
    return harmlessLine(response ?? message).slice(0, 500)
  }
}

/** An outage of a store. */
export interface Outage {
  /** The store’s name; '' for that of the process. */
  readonly store: string
  readonly since: Date
  /** The steward who said so; '' where Pendro found out. */
  readonly declaredBy: string
  readonly detail: string
}

/** The stores that are away for long enough that colleagues can go on elsewhere, by their names. */
export async function outages(db: Database, now: Date): Promise<ReadonlyMap<string, Outage>> {
  const organisation = await organisationNow(db)
  const { on, after } = standbyOf(organisation)
  if (!on) return new Map()
  const rows = await findAll(db, StoreStates, {})
  const since = now.getTime() - after * 60_000
  return new Map(
    rows.flatMap(({ name, away_since, declared_at, declared_by, detail }) => {
      const found = away_since !== null && away_since.getTime() <= since ? away_since : null
      const began = declared_at ?? found
      return began === null
        ? []
        : [[name, { store: name, since: began, declaredBy: declared_at ? declared_by : '', detail }] as const]
    }),
  )
}

/** The name of the store a mailbox is at; '' for that of the process. */
export const storeNameOf = (organisation: Organisation | null, housed: Housed): string =>
  storeKey(storeOf(organisation, housed))

/** Mailboxes with the names of their stores. */
export async function housedMailboxes(
  db: Database,
  organisation: Organisation | null,
): Promise<
  readonly { readonly id: number; readonly name: string; readonly kind: string; readonly store: string }[]
> {
  const rows = await select<Housed & { id: number; name: string; kind: string }>(
    db,
    'SELECT id, name, kind, address, store FROM mailboxes WHERE closed_at IS NULL',
  )
  return rows.map(({ id, name, kind, ...housed }) => ({
    id,
    name,
    kind,
    store: storeNameOf(organisation, housed),
  }))
}
