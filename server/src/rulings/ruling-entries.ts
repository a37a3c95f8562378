import { select, type Database, type Tx } from '../db/database.ts'
import { entryColumns, type EntryRow } from '../lists/entries.ts'

/** An entry that a ruling added or ended. */
export type RuledEntry = EntryRow & { readonly what: 'added' | 'ended' }

/** The entries of a ruling, as they are now. */
export function rulingEntries(db: Database, tx: Tx, id: number): Promise<RuledEntry[]> {
  return select(
    db,
    `SELECT ${entryColumns}, x.what FROM ruling_entries x JOIN sender_entries e ON e.id = x.entry_id WHERE x.ruling_id = :id ORDER BY e.id`,
    { id },
    tx,
  )
}
