import { Op } from 'sequelize'
import { createHash, randomBytes } from 'node:crypto'
import type { Role } from '@pendro/contract'
import { execute, findRow, type Database } from '../db/database.ts'
import type { RowOf } from '../db/models/columns.ts'
import { AppError } from '../errors.ts'
import { exists, findOne, remove, update } from '../db/rows.ts'
import { Sessions, StafferIdentities, Staffers } from '../db/models/people.ts'
import type { Actor } from '../record/write.ts'
import { type Scope } from '../db/scope.ts'
import { readOrganisation, type Organisation } from '../db/organisation.ts'
import { scopeOf } from './scope.ts'
import { hashPassword, isPassword } from './passwords.ts'

export interface Staffer {
  readonly id: number
  readonly name: string
  readonly signIn: string
  readonly role: Role
  /** The departments they look after; `null`: all there are. */
  readonly departments: readonly string[] | null
}

export interface SignedIn {
  readonly staffer: Staffer
  readonly csrf: string
  /** The mailboxes of their departments, as they are at this request. */
  readonly scope: Scope
  /** The organisation's; every list needs it, and it comes with the session for nothing. */
  readonly timeZone: string
}

/** A session as a request finds it. */
export interface OpenSession extends SignedIn {
  /** Its hash: what steps of it are kept under. */
  readonly id: string
  readonly number: number
  /** Acts by a key. */
  readonly isProgram: boolean
  readonly hasFactor: boolean
  /** The identity provider asked for a second factor, and there is none here: what needs a new proof goes there. */
  readonly provesElsewhere: boolean
  /** Its staffer has a second factor, and last proved by it too long ago for what can't be taken back. */
  readonly isStale: boolean
  /** The organisation asks for a second factor, and there is none yet. */
  readonly factorFirst: boolean
}

export const sessionCookie = 'pendro_session'
const sessionLength = 12 * 3_600_000
/** A session nobody uses ends: desks are left, browsers stay open. */
const idleLength = 2 * 3_600_000
/** Said at most so often, so that reading costs no write. */
const saidAgain = 60_000

/** A proof counts so long for what asks for one. */
const freshFor = 10 * 60_000

/** The database holds only the hash: whoever reads it can't sign in with it. */
const idOf = (token: string) => createHash('sha256').update(token).digest('hex')

// Checked when the name is unknown, so that the answer takes as long as for a known one.
const nobodysHash = hashPassword(randomBytes(16).toString('hex'))

export type StafferRow = Pick<RowOf<typeof Staffers>, 'id' | 'name' | 'sign_in' | 'role' | 'departments'>

export const toStaffer = (row: StafferRow): Staffer => ({
  id: row.id,
  name: row.name,
  signIn: row.sign_in,
  role: row.role,
  departments: row.departments,
})

export async function findStaffer(
  db: Database,
  signIn: string,
  password: string,
  now: Date,
): Promise<Staffer | null> {
  const row = await findOne(
    db,
    Staffers,
    { sign_in: signIn },
    {
      columns: ['id', 'name', 'sign_in', 'role', 'departments', 'password', 'password_until', 'suspended_at'],
    },
  )
  const right = await isPassword(password, row?.password ?? (await nobodysHash))
  if (!row || !right) return null
  // Told only to whoever knows the password.
  if (row.suspended_at !== null) throw new AppError('SUSPENDED')
  const isWayBack = row.password_until !== null && row.password_until > now
  if (isWayBack) return toStaffer(row)
  if (!passwordsCount(await readOrganisation(db))) throw new AppError('PASSWORDS_OFF')
  await needOwnRole(db, row.id)
  return toStaffer(row)
}

/** Throws COME_BY_PROVIDER for whose role comes from groups: what those say today is asked at the identity provider. */
export async function needOwnRole(db: Database, stafferId: number): Promise<void> {
  if (await exists(db, StafferIdentities, { staffer_id: stafferId, by_groups: 1 }))
    throw new AppError('COME_BY_PROVIDER')
}

/** Whether passwords let anybody in. */
export const passwordsCount = ({ identityProvider }: Pick<Organisation, 'identityProvider'>): boolean =>
  !identityProvider || identityProvider.issuer === '' || identityProvider.passwords

/** Whether somebody signs in by a name. */
export const isStaffer = (db: Database, signIn: string): Promise<boolean> =>
  exists(db, Staffers, { sign_in: signIn })

/** Opens a session; the token goes into the cookie and is nowhere else. */
export async function openSession(
  db: Database,
  staffer: Staffer,
  now: Date,
  {
    agent = '',
    factorElsewhere = false,
  }: { readonly agent?: string; readonly factorElsewhere?: boolean } = {},
): Promise<{ token: string; signedIn: OpenSession }> {
  const token = randomBytes(32).toString('base64url')
  const csrf = randomBytes(32).toString('base64url')
  await remove(db, Sessions, { expires_at: { [Op.lt]: now } })
  await execute(
    db,
    `INSERT INTO sessions (id, staffer_id, csrf, expires_at, used_at, opened_at, proven_at, agent, factor_elsewhere)
     VALUES (:id, :stafferId, :csrf, :expires, :now, :now, :now, :agent, :factorElsewhere)`,
    {
      factorElsewhere,
      agent: agent.slice(0, 300),
      id: idOf(token),
      now,
      stafferId: staffer.id,
      csrf,
      expires: new Date(now.getTime() + sessionLength),
    },
  )
  const signedIn = await findSession(db, token, now)
  if (!signedIn) throw new AppError('SUSPENDED')
  return { token, signedIn }
}

interface SessionRow extends StafferRow {
  readonly csrf: string
  readonly time_zone: string
  readonly used_at: Date
  readonly number: number
  readonly proven_at: Date | null
  readonly has_factor: number
  readonly factor_elsewhere: number
  readonly second_factor: string
}

/** Who a token stands for. `use`: somebody did something; a stream that only listens is no use. */
export async function findSession(
  db: Database,
  token: string,
  now: Date,
  { use = true }: { use?: boolean } = {},
): Promise<OpenSession | null> {
  const row = await findRow<SessionRow>(
    db,
    `SELECT s.id, s.name, s.sign_in, s.role, s.departments, x.csrf, x.used_at, x.number, x.proven_at, x.factor_elsewhere, o.time_zone,
       EXISTS (SELECT 1 FROM staffer_factors f WHERE f.staffer_id = s.id) AS has_factor,
       COALESCE(JSON_VALUE(o.settings, '$.secondFactor'), 'optional') AS second_factor FROM sessions x JOIN staffers s ON s.id = x.staffer_id
     JOIN organisation o ON o.id = 1 WHERE x.id = :id AND x.expires_at > :now AND x.used_at > :idle AND s.suspended_at IS NULL`,
    { id: idOf(token), now, idle: new Date(now.getTime() - idleLength) },
  )
  if (row && use && now.getTime() - row.used_at.getTime() > saidAgain) {
    await update(db, Sessions, { used_at: now }, { id: idOf(token) })
    await update(db, Staffers, { seen_at: now }, { id: row.id })
  }
  if (!row) return null
  const scope = await scopeOf(db, row.departments)
  const hasFactor = row.has_factor === 1
  const hasAny = hasFactor || row.factor_elsewhere === 1
  return {
    staffer: toStaffer(row),
    csrf: row.csrf,
    scope,
    timeZone: row.time_zone,
    id: idOf(token),
    number: row.number,
    isProgram: false,
    hasFactor,
    provesElsewhere: hasAny && !hasFactor,
    isStale: hasAny && (row.proven_at === null || now.getTime() - row.proven_at.getTime() > freshFor),
    factorFirst: !hasAny && row.second_factor === 'required',
  }
}

/** Whoever is signed in has proved again that it is them. */
export async function noteProof(db: Database, { id }: OpenSession, now: Date): Promise<void> {
  await update(db, Sessions, { proven_at: now }, { id })
}

/** A staffer by number, for whom something else than a password spoke; `null` for nobody. */
export async function stafferOf(db: Database, id: number): Promise<Staffer | null> {
  const row = await findOne(
    db,
    Staffers,
    { id },
    { columns: ['id', 'name', 'sign_in', 'role', 'departments', 'suspended_at'] },
  )
  if (!row) return null
  if (row.suspended_at !== null) throw new AppError('SUSPENDED')
  return toStaffer(row)
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

/** What a ruler may rule on: a staffer's departments, a colleague's own mail and what they mind. */
export const mailboxesOfRuler = (who: Ruler): Scope =>
  'staffer' in who ? who.scope : who.colleague.mailboxIds

/** Refuses what touches the whole organisation to whoever looks after a part of it. */
export function needsWhole({ scope }: SignedIn): void {
  if (scope !== null) throw new AppError('OUT_OF_SCOPE', { context: 'whole' })
}

export const isSteward = (who: Ruler): boolean => 'staffer' in who && who.staffer.role === 'steward'
