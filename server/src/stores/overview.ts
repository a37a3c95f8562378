import type { readMailboxInStore, readStores } from '@pendro/contract'
import type { z } from 'zod'
import { select, type Database } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { StoreMailboxes, StoreMoves, type StoreTrouble } from '../db/models/stores.ts'
import { organisationNow } from '../db/organisation.ts'
import { findAll, findOne } from '../db/rows.ts'
import { within, type Scope } from '../db/scope.ts'
import { AppError } from '../errors.ts'
import type { Vault } from '../outbox/secrets.ts'
import { storeOf, wholeStore } from '../outbox/stores.ts'
import { hasImap } from './imap.ts'
import { visited, type Stores } from './stores.ts'

type InStoreShape = z.input<typeof readMailboxInStore.response>
type StoresShape = z.input<typeof readStores.response>

/** Moves of a mailbox that are shown. */
const mostMoves = 5
/** Milliseconds for which a look counts as of now. */
const freshFor = 120_000

/** A mailbox as its store had it at the last look. */
export async function mailboxInStore(db: Database, stores: Stores, id: number): Promise<InStoreShape> {
  const mailbox = await visited(db, id)
  if (!mailbox) throw new AppError('MAILBOX_NOT_FOUND')
  const [store, row, folders, moves] = await Promise.all([
    stores.of(mailbox),
    findOne(db, StoreMailboxes, { mailbox_id: id }),
    select<{
      path: string
      kind: InStoreShape['folders'][number]['kind']
      total: number
      unread: number
      ours: number
    }>(
      db,
      `SELECT f.path, f.kind, f.total, f.unread,
         (SELECT COUNT(*) FROM store_copies c WHERE c.folder_id = f.id AND c.gone_at IS NULL) AS ours
       FROM store_folders f WHERE f.mailbox_id = :id ORDER BY FIELD(f.kind, 'inbox', 'junk', 'aside', 'other', 'sent', 'trash'), f.path`,
      { id },
    ),
    findAll(db, StoreMoves, { mailbox_id: id }, { order: [['id', 'DESC']], limit: mostMoves }),
  ])
  return {
    store: store?.name ?? '',
    open: store !== null,
    lookedAt: row?.looked_at?.toISOString() ?? null,
    since: row?.trouble_since?.toISOString() ?? null,
    trouble: row?.trouble ?? '',
    detail: row?.detail ?? '',
    folders,
    moves: moves.map(moveShown),
  }
}

const moveShown = (row: RowOf<typeof StoreMoves>): InStoreShape['moves'][number] => ({
  id: row.id,
  from: row.from_path,
  to: row.to_path,
  state: row.state,
  done: row.done,
  total: row.total,
  at: row.at.toISOString(),
  trouble: row.trouble,
  detail: row.detail,
})

/** How looking into each store goes, for the mailboxes of a scope. */
export async function storesNow(db: Database, vault: Vault, scope: Scope, now: Date): Promise<StoresShape> {
  const organisation = await organisationNow(db)
  const rows = await select<{
    id: number
    name: string
    address: string
    store: string
    looked_at: Date | null
    trouble: StoreTrouble | null
    detail: string | null
    trouble_since: Date | null
    script_state: string | null
    script_trouble: string | null
  }>(
    db,
    `SELECT b.id, b.name, b.address, b.store, s.looked_at, s.trouble, s.detail, s.trouble_since,
       c.state AS script_state, c.trouble AS script_trouble FROM mailboxes b
     LEFT JOIN store_mailboxes s ON s.mailbox_id = b.id LEFT JOIN store_scripts c ON c.mailbox_id = b.id
     WHERE b.closed_at IS NULL AND b.kind <> 'list' AND ${within(scope, 'b.id')}`,
  )
  const settings = (organisation?.routes?.stores ?? []).map(wholeStore)
  const housed = new Map<string, typeof rows>()
  for (const row of rows) {
    const key = JSON.stringify(storeOf(organisation, row))
    housed.set(key, [...(housed.get(key) ?? []), row])
  }
  return {
    canKeep: vault.isOpen,
    kept: (await vault.kept()).map(({ name, since }) => ({ account: name, since: since.toISOString() })),
    stores: settings.map(store => {
      const own = housed.get(JSON.stringify(store)) ?? []
      const looks = own.flatMap(({ looked_at }) => looked_at?.getTime() ?? [])
      return {
        name: store.name,
        domains: store.domains,
        houses: store.houses,
        imap: hasImap(store),
        sieve: store.sieve !== null,
        mailboxes: own.length,
        fresh: looks.filter(at => at >= now.getTime() - freshFor).length,
        oldest: looks.length === 0 ? null : new Date(Math.min(...looks)).toISOString(),
        troubles: troublesOf(own),
        scripts: store.sieve === null ? { kept: 0, differ: 0, first: [] } : scriptsOf(own),
      }
    }),
  }
}

/** Mailboxes that are named where somebody has to decide. */
const mostNamed = 20

function scriptsOf(
  rows: readonly { id: number; name: string; script_state: string | null; script_trouble: string | null }[],
): StoresShape['stores'][number]['scripts'] {
  const differing = rows.filter(
    ({ script_state: state, script_trouble: trouble }) =>
      state === 'changed' || state === 'not-run' || (trouble !== null && trouble !== ''),
  )
  return {
    kept: rows.filter(row => row.script_state === 'kept').length,
    differ: differing.length,
    first: differing.slice(0, mostNamed).map(({ id, name }) => ({ mailboxId: id, name })),
  }
}

type TroubleRow = { trouble: StoreTrouble | null; detail: string | null; trouble_since: Date | null }

function troublesOf(rows: readonly TroubleRow[]): StoresShape['stores'][number]['troubles'] {
  const byTrouble = new Map<StoreTrouble, TroubleRow[]>()
  for (const row of rows)
    if (row.trouble !== null && row.trouble !== '')
      byTrouble.set(row.trouble, [...(byTrouble.get(row.trouble) ?? []), row])
  return [...byTrouble].map(([trouble, alike]) => {
    const since = alike.flatMap(({ trouble_since }) => trouble_since?.getTime() ?? [])
    return {
      trouble,
      mailboxes: alike.length,
      detail: alike[0]?.detail ?? '',
      since: since.length === 0 ? null : new Date(Math.min(...since)).toISOString(),
    }
  })
}
