import type { Database } from './database.ts'
import { findOne } from './rows.ts'
import { SigningKeys } from './models/organisation.ts'

type KeyName = 'links' | 'deliveries' | 'devices'

const keys = new WeakMap<Database, Map<KeyName, Promise<Buffer>>>()

/** A key this installation signs with. Never changes while a database is open, so it is read once. */
export function signingKey(db: Database, name: KeyName): Promise<Buffer> {
  const known = keys.get(db) ?? new Map<KeyName, Promise<Buffer>>()
  keys.set(db, known)
  const found = known.get(name) ?? readKey(db, name)
  known.set(name, found)
  // What failed is asked again.
  found.catch(() => known.delete(name))
  return found
}

async function readKey(db: Database, name: KeyName): Promise<Buffer> {
  const row = await findOne(db, SigningKeys, { name }, { columns: ['value'] })
  if (!row) throw new Error(`This database has no key to sign ${name} with; its migrations are not complete.`)
  return row.value
}
