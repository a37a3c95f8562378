import type { FilingFolders } from '@pendro/core/mail-rules'
import type { Database } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { StoreFolders, StoreMailboxes, type StoreScripts } from '../db/models/stores.ts'
import { organisationNow } from '../db/organisation.ts'
import { findOne } from '../db/rows.ts'
import { storeKey, storeOf } from '../outbox/stores.ts'
import { hasSieve, type TakesSieve } from '../stores/manage-sieve.ts'
import { visited, type Visited } from '../stores/stores.ts'
import { keptScript } from './script.ts'

export type ScriptsRow = RowOf<typeof StoreScripts>

/** A mailbox whose store takes scripts. */
export interface At {
  readonly mailbox: Visited
  readonly store: TakesSieve
}

/** Where the scripts of a mailbox are kept; `null`: nowhere. */
export async function placeOf(db: Database, id: number): Promise<At | null> {
  const mailbox = await visited(db, id)
  const store = mailbox && storeOf(await organisationNow(db), mailbox)
  return mailbox && hasSieve(store) ? { mailbox, store } : null
}

/** Whether what is remembered is of this store: at another one nothing is kept yet. */
export const isOf = (row: ScriptsRow | null, { store }: At): row is ScriptsRow =>
  row !== null && row.store === storeKey(store)
/** What a mailbox should have at its store. */
export async function wantedFor(db: Database, { mailbox, store }: At) {
  const folders = await foldersFor(db, mailbox.id, store)
  const { script, ...rest } = await keptScript(db, mailbox.id, folders)
  return { rules: script, folders, ...rest }
}

/** The junk folder as the mailbox has it, and how its store names folders: both as of the last look. */
async function foldersFor(db: Database, id: number, store: TakesSieve): Promise<FilingFolders> {
  const junk = await findOne(db, StoreFolders, { mailbox_id: id, kind: 'junk' }, { columns: ['path'] })
  const names = await findOne(
    db,
    StoreMailboxes,
    { mailbox_id: id },
    { columns: ['separator_char', 'prefix'] },
  )
  return {
    junk: junk?.path ?? (store.junkFolder || 'Junk'),
    aside: store.asideFolder,
    separator: names?.separator_char ?? '/',
    prefix: names?.prefix ?? '',
  }
}
