import { randomBytes } from 'node:crypto'
import type { ApiKey, KeyReach, Role } from '@pendro/contract'
import { inTransaction, select, type Database } from '../db/database.ts'
import { ApiKeys, Staffers } from '../db/models/people.ts'
import { findOne, insertOne, update } from '../db/rows.ts'
import { AppError } from '../errors.ts'
import { writeRecord, type Actor } from '../record/write.ts'
import { hashOfKey, keyPrefix } from '../sign-in/keys.ts'
import { checkDepartments, told } from './departments.ts'

/** What a key may do is what somebody of a role may. */
const roles = [
  ['read', 'observer'],
  ['act', 'helpdesk'],
  ['steward', 'steward'],
] as const satisfies readonly (readonly [KeyReach, Role])[]
const roleOf = new Map<KeyReach, Role>(roles)
const reachOf = new Map<Role, KeyReach>(roles.map(([reach, role]) => [role, reach]))

/** Keys that count, newest first. */
export async function readKeys(db: Database, now: Date): Promise<ApiKey[]> {
  const rows = await select<{
    id: number
    name: string
    role: Role
    departments: readonly string[] | null
    made_by: string
    made_at: Date
    ends_at: Date
    used_at: Date | null
  }>(
    db,
    `SELECT k.id, s.name, s.role, s.departments, k.made_by, k.made_at, k.ends_at, k.used_at
     FROM api_keys k JOIN staffers s ON s.id = k.staffer_id WHERE k.ended_at IS NULL AND k.ends_at > :now ORDER BY k.id DESC`,
    { now },
  )
  return rows.map(row => ({
    id: row.id,
    name: row.name,
    reach: reachOf.get(row.role) ?? 'read',
    departments: row.departments && [...row.departments],
    madeBy: row.made_by,
    madeAt: row.made_at.toISOString(),
    endsAt: row.ends_at.toISOString(),
    usedAt: row.used_at?.toISOString() ?? null,
  }))
}

interface Making {
  readonly by: Actor
  readonly name: string
  readonly reach: KeyReach
  readonly departments: readonly string[] | null
  readonly days: number
  readonly now: Date
}

/** Makes a key; its secret is told here and nowhere else. */
export function makeKeyOf(
  db: Database,
  { by, name, reach, departments, days, now }: Making,
): Promise<{ key: ApiKey; secret: string }> {
  const secret = `${keyPrefix}${randomBytes(32).toString('base64url')}`
  const ends_at = new Date(now.getTime() + days * 86_400_000)
  return inTransaction(db, async tx => {
    await checkDepartments(db, departments, tx)
    // A staffer who signs in nowhere: no hash has this form, and nobody is called so.
    const sign_in = `program ${randomBytes(12).toString('hex')}`
    const staffer_id = await insertOne(
      db,
      Staffers,
      { name, sign_in, role: roleOf.get(reach) ?? 'observer', departments, password: '', is_program: true },
      tx,
    )
    const row = { staffer_id, key_hash: hashOfKey(secret), made_by: by.name, made_at: now, ends_at }
    const id = await insertOne(db, ApiKeys, row, tx)
    await writeRecord(db, tx, [
      { act: 'key-made', at: now, by, facts: { key: name, reach, departments: told(departments) } },
    ])
    const key: ApiKey = {
      id,
      name,
      reach,
      departments: departments && [...departments],
      madeBy: by.name,
      madeAt: now.toISOString(),
      endsAt: ends_at.toISOString(),
      usedAt: null,
    }
    return { key, secret }
  })
}

/** Ends a key. */
export function endKeyOf(db: Database, by: Actor, id: number, now: Date): Promise<void> {
  return inTransaction(db, async tx => {
    const key = await findOne(db, ApiKeys, { id }, { columns: ['staffer_id', 'ended_at'], tx, lock: true })
    if (!key || key.ended_at !== null) throw new AppError('KEY_NOT_FOUND')
    await update(db, ApiKeys, { ended_at: now }, { id }, tx)
    const program = await findOne(db, Staffers, { id: key.staffer_id }, { columns: ['name'], tx })
    await writeRecord(db, tx, [{ act: 'key-ended', at: now, by, facts: { key: program?.name ?? '' } }])
  })
}
