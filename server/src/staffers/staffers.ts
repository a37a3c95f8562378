import { isDeepStrictEqual } from 'node:util'
import type { Request } from 'express'
import { Op } from 'sequelize'
import type { Role, StafferChange, StafferRow } from '@pendro/contract'
import { inTransaction, select, type Database, type Tx } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { RecoveryCodes, Sessions, StafferFactors, StafferIdentities, Staffers } from '../db/models/people.ts'
import { readOrganisation } from '../db/organisation.ts'
import { exists, findAll, findOne, remove, update } from '../db/rows.ts'
import { AppError } from '../errors.ts'
import { writeRecord, type Actor } from '../record/write.ts'
import { isEasyToGuess } from '../sign-in/easy-passwords.ts'
import { checkDepartments, told } from './departments.ts'
import { checkOwnPassword } from '../sign-in/own-password.ts'
import { hashPassword } from '../sign-in/passwords.ts'
import { passwordsCount, type SignedIn } from '../sign-in/sessions.ts'

/** Everybody who works with Pendro, or with an id only them, by name. */
export async function readStaffers(db: Database, now: Date, id: number | null = null): Promise<StafferRow[]> {
  const rows = await select<{
    id: number
    name: string
    sign_in: string
    role: Role
    departments: readonly string[] | null
    suspended_at: Date | null
    seen_at: Date | null
    sessions: number
    factors: number
    identity: 'none' | 'own' | 'groups'
  }>(
    db,
    `SELECT s.id, s.name, s.sign_in, s.role, s.departments, s.suspended_at,
       COALESCE(MAX(x.used_at), s.seen_at) AS seen_at, COUNT(x.id) AS sessions,
       (SELECT COUNT(*) FROM staffer_factors f WHERE f.staffer_id = s.id) AS factors,
       COALESCE((SELECT IF(y.by_groups, 'groups', 'own') FROM staffer_identities y WHERE y.staffer_id = s.id), 'none') AS identity
     FROM staffers s LEFT JOIN sessions x ON x.staffer_id = s.id AND x.expires_at > :now
     WHERE NOT s.is_program AND (:id IS NULL OR s.id = :id) GROUP BY s.id ORDER BY s.name, s.id`,
    { now, id },
  )
  return rows.map(({ sign_in: signIn, suspended_at, seen_at, ...row }) => ({
    id: row.id,
    name: row.name,
    role: row.role,
    departments: row.departments && [...row.departments],
    signIn,
    suspendedAt: suspended_at?.toISOString() ?? null,
    lastSeen: seen_at?.toISOString() ?? null,
    sessions: row.sessions,
    factors: row.factors,
    identity: row.identity,
  }))
}

/** Changes one thing about a staffer. Somebody is always left who can change the organisation. */
export async function change(
  db: Database,
  {
    by,
    id,
    change: asked,
    reason,
    now,
  }: { by: Actor; id: number; change: StafferChange; reason: string; now: Date },
): Promise<StafferRow> {
  await inTransaction(db, async tx => {
    const all = await lockStaffers(db, tx)
    const staffer = all.find(one => one.id === id)
    if (!staffer) throw new AppError('STAFFER_NOT_FOUND')
    const was = valueOf(staffer, asked.what)
    if (!isDeepStrictEqual(was, asked.was)) throw new AppError('MAILBOX_CHANGED')
    if (isDeepStrictEqual(was, asked.to)) return
    if ((asked.what === 'role' || asked.what === 'departments') && (await followsGroups(db, tx, id)))
      throw new AppError('ROLE_BY_GROUPS')
    if (asked.what === 'departments') await checkDepartments(db, asked.to, tx, staffer.departments ?? [])
    const after = {
      role: asked.what === 'role' ? asked.to : staffer.role,
      departments: asked.what === 'departments' ? asked.to : staffer.departments,
      isIn: asked.what === 'suspended' ? !asked.to : staffer.suspended_at === null,
    }
    keepSteward(all, id, after)
    await write(db, tx, id, asked, now)
    await writeRecord(db, tx, [
      {
        act: 'staffer-changed',
        at: now,
        by,
        reason,
        facts: {
          staffer: staffer.name,
          what: asked.what,
          was: toldChange(asked.was),
          now: toldChange(asked.to),
        },
      },
    ])
  })
  const [row] = await readStaffers(db, now, id)
  if (!row) throw new AppError('STAFFER_NOT_FOUND')
  return row
}

type Locked = Pick<RowOf<typeof Staffers>, 'id' | 'name' | 'role' | 'departments' | 'suspended_at'>

/** All of them, locked: two stewards who suspend each other at the same moment must not both succeed. */
export const lockStaffers = (db: Database, tx: Tx): Promise<readonly Locked[]> =>
  findAll(
    db,
    Staffers,
    { is_program: 0 },
    {
      columns: ['id', 'name', 'role', 'departments', 'suspended_at'],
      order: [['id', 'ASC']],
      tx,
      lock: true,
    },
  )

interface After {
  readonly role: Role
  readonly departments: readonly string[] | null
  readonly isIn: boolean
}

/** Throws LAST_STEWARD when nobody would be left who can change the organisation. */
export function keepSteward(all: readonly Locked[], id: number, after: After): void {
  const others = all.filter(one => one.id !== id && isStewardOfAll(one) && one.suspended_at === null)
  if (others.length === 0 && !(isStewardOfAll(after) && after.isIn)) throw new AppError('LAST_STEWARD')
}

const followsGroups = (db: Database, tx: Tx, id: number) =>
  exists(db, StafferIdentities, { staffer_id: id, by_groups: 1 }, { tx })

/** What of a staffer a change is about, as it is. */
const valueOf = (
  {
    role,
    name,
    departments,
    suspended_at,
  }: Pick<RowOf<typeof Staffers>, 'role' | 'name' | 'departments' | 'suspended_at'>,
  what: StafferChange['what'],
) => ({ role, name, departments, suspended: suspended_at !== null })[what]

/** One of some departments can't change what is everybody's. */
const isStewardOfAll = ({ role, departments }: { role: Role; departments: readonly string[] | null }) =>
  role === 'steward' && departments === null

const toldChange = (value: StafferChange['to']): string =>
  value === null || Array.isArray(value) ? told(value) : String(value)

async function write(db: Database, tx: Tx, id: number, asked: StafferChange, now: Date): Promise<void> {
  switch (asked.what) {
    case 'role':
      await update(db, Staffers, { role: asked.to }, { id }, tx)
      return
    case 'name':
      await update(db, Staffers, { name: asked.to }, { id }, tx)
      return
    case 'departments':
      await update(db, Staffers, { departments: asked.to }, { id }, tx)
      return
    case 'suspended':
      await update(db, Staffers, { suspended_at: asked.to ? now : null }, { id }, tx)
      if (asked.to) await remove(db, Sessions, { staffer_id: id }, tx)
  }
}

/** Ends every session of a staffer but the one that asks; how many there were. */
export function signOutEverywhere(
  db: Database,
  { by, id, own, now }: { by: Actor; id: number; own: SignedIn; now: Date },
): Promise<number> {
  return inTransaction(db, async tx => {
    const staffer = await findOne(db, Staffers, { id }, { columns: ['name'], tx })
    if (!staffer) throw new AppError('STAFFER_NOT_FOUND')
    const ended = await remove(db, Sessions, { staffer_id: id, csrf: { [Op.ne]: own.csrf } }, tx)
    await writeRecord(db, tx, [
      { act: 'staffer-signed-out', at: now, by, facts: { staffer: staffer.name, sessions: ended } },
    ])
    return ended
  })
}

/** Another password of one's own: who knows the old one may; all other sessions end. */
export async function choosePassword(
  db: Database,
  who: SignedIn,
  { by, old, password, req, now }: { by: Actor; old: string; password: string; req: Request; now: Date },
): Promise<void> {
  const { id, name, signIn } = who.staffer
  const settings = await readOrganisation(db)
  if (!passwordsCount(settings)) throw new AppError('PASSWORDS_OFF')
  await checkOwnPassword(db, who, { password: old, req, now })
  const { name: organisation } = settings
  if (await isEasyToGuess(password, [name, signIn, organisation])) throw new AppError('EASY_PASSWORD')
  const hash = await hashPassword(password)
  await inTransaction(db, async tx => {
    await update(db, Staffers, { password: hash, password_until: null }, { id }, tx)
    await remove(db, Sessions, { staffer_id: id, csrf: { [Op.ne]: who.csrf } }, tx)
    await writeRecord(db, tx, [{ act: 'staffer-password', at: now, by }])
  })
}

/** Takes somebody's second factors away who has lost them, and signs them out everywhere. */
export function clearFactorsOf(
  db: Database,
  { by, id, reason, now }: { by: Actor; id: number; reason: string; now: Date },
): Promise<number> {
  return inTransaction(db, async tx => {
    const staffer = await findOne(db, Staffers, { id }, { columns: ['name'], tx })
    if (!staffer) throw new AppError('STAFFER_NOT_FOUND')
    const factors = await remove(db, StafferFactors, { staffer_id: id }, tx)
    if (factors === 0) throw new AppError('FACTOR_NOT_FOUND')
    await remove(db, RecoveryCodes, { staffer_id: id }, tx)
    await remove(db, Sessions, { staffer_id: id }, tx)
    await writeRecord(db, tx, [
      { act: 'factors-cleared', at: now, by, reason, facts: { staffer: staffer.name, factors } },
    ])
    return factors
  })
}
