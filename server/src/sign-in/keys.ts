import { createHash } from 'node:crypto'
import type { Request } from 'express'
import { findRow, type Database } from '../db/database.ts'
import { ApiKeys } from '../db/models/people.ts'
import { update } from '../db/rows.ts'
import { scopeOf } from './scope.ts'
import { toStaffer, type OpenSession, type StafferRow } from './sessions.ts'

/** By which a key is known for one, also to whatever looks for secrets that were left lying about. */
export const keyPrefix = 'pendro_key_'

/** The database holds only the hash: whoever reads it can't act by it. 256 bits need no slow one. */
export const hashOfKey = (secret: string): string => createHash('sha256').update(secret).digest('hex')

/** The key a request comes with (RFC 6750 §2.1); `null` for none. */
export function keyIn(req: Request): string | null {
  const [, key] = /^Bearer +([\w-]{20,200})$/i.exec(req.headers.authorization ?? '') ?? []
  return key ?? null
}

/** Said at most so often, so that reading costs no write. */
const saidAgain = 60_000

/** Who a key acts as; `null` for one that ended, or that never was. */
export async function findKey(db: Database, key: string, now: Date): Promise<OpenSession | null> {
  if (!key.startsWith(keyPrefix)) return null
  const row = await findRow<StafferRow & { key_id: number; used_at: Date | null; time_zone: string }>(
    db,
    `SELECT s.id, s.name, s.sign_in, s.role, s.departments, k.id AS key_id, k.used_at, o.time_zone FROM api_keys k
     JOIN staffers s ON s.id = k.staffer_id JOIN organisation o ON o.id = 1
     WHERE k.key_hash = :hash AND k.ended_at IS NULL AND k.ends_at > :now AND s.suspended_at IS NULL`,
    { hash: hashOfKey(key), now },
  )
  if (!row) return null
  if (row.used_at === null || now.getTime() - row.used_at.getTime() > saidAgain)
    await update(db, ApiKeys, { used_at: now }, { id: row.key_id })
  return {
    staffer: toStaffer(row),
    csrf: '',
    scope: await scopeOf(db, row.departments),
    timeZone: row.time_zone,
    id: '',
    number: 0,
    isProgram: true,
    hasFactor: false,
    provesElsewhere: false,
    isStale: false,
    factorFirst: false,
  }
}
