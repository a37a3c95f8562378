import { Op } from 'sequelize'
import { createHash, randomBytes } from 'node:crypto'
import type { Role } from '@pendro/contract'
import { execute, findRow, type Database } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { findOne, remove, update } from '../db/rows.ts'
import { Organisations } from '../db/models/organisation.ts'
import { Sessions, Staffers } from '../db/models/people.ts'
import type { Actor } from '../record/write.ts'
import { hashPassword, isPassword } from './passwords.ts'

export interface Staffer {
  readonly id: number
  readonly name: string
  readonly signIn: string
  readonly role: Role
}

export interface SignedIn {
  readonly staffer: Staffer
  readonly csrf: string
  /** The organisation's; every list needs it, and it comes with the session for nothing. */
  readonly timeZone: string
}

export const sessionCookie = 'pendro_session'
const sessionLength = 12 * 3_600_000
/** A session nobody uses ends: desks are left, browsers stay open. */
const idleLength = 2 * 3_600_000
/** Said at most so often, so that reading costs no write. */
const saidAgain = 60_000

/** The database holds only the hash: whoever reads it can't sign in with it. */
const idOf = (token: string) => createHash('sha256').update(token).digest('hex')

// Checked when the name is unknown, so that the answer takes as long as for a known one.
const nobodysHash = hashPassword(randomBytes(16).toString('hex'))

type StafferRow = Pick<RowOf<typeof Staffers>, 'id' | 'name' | 'sign_in' | 'role'>

const toStaffer = (row: StafferRow): Staffer => ({
  id: row.id,
  name: row.name,
  signIn: row.sign_in,
  role: row.role,
})

export async function findStaffer(db: Database, signIn: string, password: string): Promise<Staffer | null> {
  const row = await findOne(
    db,
    Staffers,
    { sign_in: signIn },
    { columns: ['id', 'name', 'sign_in', 'role', 'password'] },
  )
  const right = await isPassword(password, row?.password ?? (await nobodysHash))
  return row && right ? toStaffer(row) : null
}

/** Opens a session; the token goes into the cookie and is nowhere else. */
export async function openSession(
  db: Database,
  staffer: Staffer,
  now: Date,
): Promise<{ token: string; signedIn: SignedIn }> {
  const token = randomBytes(32).toString('base64url')
  const csrf = randomBytes(32).toString('base64url')
  await remove(db, Sessions, { expires_at: { [Op.lt]: now } })
  await execute(
    db,
    'INSERT INTO sessions (id, staffer_id, csrf, expires_at, used_at) VALUES (:id, :stafferId, :csrf, :expires, :now)',
    {
      id: idOf(token),
      now,
      stafferId: staffer.id,
      csrf,
      expires: new Date(now.getTime() + sessionLength),
    },
  )
  const organisation = await findOne(db, Organisations, { id: 1 }, { columns: ['time_zone'] })
  return { token, signedIn: { staffer, csrf, timeZone: organisation?.time_zone ?? 'UTC' } }
}

/** Who a token stands for. `use`: somebody did something; a stream that only listens is no use. */
export async function findSession(
  db: Database,
  token: string,
  now: Date,
  { use = true }: { use?: boolean } = {},
): Promise<SignedIn | null> {
  const row = await findRow<StafferRow & { csrf: string; time_zone: string; used_at: Date }>(
    db,
    `SELECT s.id, s.name, s.sign_in, s.role, x.csrf, x.used_at, o.time_zone FROM sessions x JOIN staffers s ON s.id = x.staffer_id
     JOIN organisation o ON o.id = 1 WHERE x.id = :id AND x.expires_at > :now AND x.used_at > :idle`,
    { id: idOf(token), now, idle: new Date(now.getTime() - idleLength) },
  )
  if (row && use && now.getTime() - row.used_at.getTime() > saidAgain)
    await update(db, Sessions, { used_at: now }, { id: idOf(token) })
  return row && { staffer: toStaffer(row), csrf: row.csrf, timeZone: row.time_zone }
}

export async function closeSession(db: Database, token: string): Promise<void> {
  await remove(db, Sessions, { id: idOf(token) })
}

/** A colleague, by a digest or on their own page: they rule on their own mail, and on nothing else. */
export interface AnsweringColleague {
  readonly colleague: {
    readonly id: number
    /** Their own mailbox, and those they mind. */
    readonly mailboxIds: readonly number[]
    readonly name: string
  }
}
export type Ruler = SignedIn | AnsweringColleague

export function actor(who: Ruler): Actor {
  if ('colleague' in who) return { kind: 'colleague', id: null, name: who.colleague.name }
  return { kind: 'staffer', id: who.staffer.id, name: who.staffer.name }
}

/** Who makes a ruling: as its row has them, and as the record names them. */
export const ruledBy = (who: Ruler) => ({
  actor: actor(who),
  columns:
    'colleague' in who
      ? { staffer_id: null, colleague_id: who.colleague.id }
      : { staffer_id: who.staffer.id, colleague_id: null },
})

export const isSteward = (who: Ruler): boolean => 'staffer' in who && who.staffer.role === 'steward'
