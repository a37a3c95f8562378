import { createHash } from 'node:crypto'
import { inTransaction, isDuplicate, type Database, type Tx } from '../db/database.ts'
import { StafferFactors, StafferIdentities, Staffers } from '../db/models/people.ts'
import type { Grant } from '../db/models/shapes.ts'
import { readOrganisation } from '../db/organisation.ts'
import { exists, findOne, insert, insertOne, remove, update } from '../db/rows.ts'
import { AppError } from '../errors.ts'
import { writeRecord } from '../record/write.ts'
import type { Identity } from '../sign-in/identity-provider.ts'
import { actor, passwordsCount, stafferOf, type SignedIn, type Staffer } from '../sign-in/sessions.ts'
import { told } from './departments.ts'
import { signInFree, takeUp } from './invitations.ts'
import { keepSteward, lockStaffers } from './staffers.ts'

type Who = Pick<Identity, 'issuer' | 'subject'>

/** Two providers may give the same number to two people. */
const hashOf = ({ issuer, subject }: Who) =>
  createHash('sha256').update(`${issuer}\n${subject}`).digest('hex')

/** The first line that fits: lines stand in the order of their weight, and none adds to another. */
export function grantOf(groups: readonly string[], grants: readonly Grant[]): Grant | null {
  return grants.find(({ group }) => groups.includes(group)) ?? null
}

/** What is kept of a staffer's account at the provider; `null` for none. */
export const identityOf = (db: Database, stafferId: number) =>
  findOne(db, StafferIdentities, { staffer_id: stafferId })

/** Whether an account there is this staffer's. */
export async function isOf(db: Database, who: Who, stafferId: number): Promise<boolean> {
  return (await identityOf(db, stafferId))?.subject_hash === hashOf(who)
}

/**
 * Who an account is here. Whoever comes for the first time becomes a staffer where a group of theirs may; whose role comes from groups
 * has it set anew. A name proves nothing: no account is taken for a staffer because it is called alike.
 * @throws {AppError} NOT_KNOWN_HERE, SIGN_IN_TAKEN, LAST_STEWARD, SUSPENDED
 */
export async function stafferBy(
  db: Database,
  identity: Identity,
  grants: readonly Grant[],
  now: Date,
): Promise<Staffer> {
  const known = await findOne(db, StafferIdentities, { subject_hash: hashOf(identity) })
  const grant = grantOf(identity.groups, grants)
  if (!known) {
    if (!grant) throw new AppError('NOT_KNOWN_HERE')
    return needStaffer(db, await signInFree(join(db, identity, grant, now)))
  }
  const id = known.staffer_id
  const staffer = await needStaffer(db, id)
  if (known.by_groups) {
    if (!grant) throw new AppError('NOT_KNOWN_HERE', { context: 'groups' })
    await follow(db, id, grant, now)
  }
  await update(db, StafferIdentities, { used_at: now }, { staffer_id: id })
  return known.by_groups ? needStaffer(db, id) : staffer
}

async function needStaffer(db: Database, id: number): Promise<Staffer> {
  const staffer = await stafferOf(db, id)
  if (!staffer) throw new AppError('NOT_KNOWN_HERE')
  return staffer
}

function join(db: Database, identity: Identity, { role, departments }: Grant, now: Date): Promise<number> {
  const { name, signIn } = identity
  return inTransaction(db, async tx => {
    // No hash has this form: nobody signs in by a password they never chose.
    const row = { name, sign_in: signIn, role, departments, password: '' }
    const id = await insertOne(db, Staffers, row, tx)
    await keep(db, tx, { identity, id, byGroups: true, now })
    const facts = { staffer: name, role, departments: told(departments), by: 'identity' as const }
    await writeRecord(db, tx, [{ act: 'staffer-joined', at: now, by: { kind: 'staffer', id, name }, facts }])
    return id
  })
}

/** Sets what the groups say, where it is something else. */
function follow(db: Database, id: number, { role, departments }: Grant, now: Date): Promise<void> {
  return inTransaction(db, async tx => {
    const all = await lockStaffers(db, tx)
    const staffer = all.find(one => one.id === id)
    if (!staffer) throw new AppError('NOT_KNOWN_HERE')
    const changed = [
      ...(staffer.role === role ? [] : [{ what: 'role', was: staffer.role as string, now: role as string }]),
      ...(told(staffer.departments) === told(departments)
        ? []
        : [{ what: 'departments', was: told(staffer.departments), now: told(departments) }]),
    ]
    if (changed.length === 0) return
    keepSteward(all, id, { role, departments, isIn: true })
    await update(db, Staffers, { role, departments }, { id }, tx)
    const { name } = staffer
    await writeRecord(
      db,
      tx,
      changed.map(facts => ({
        act: 'staffer-changed' as const,
        at: now,
        by: { kind: 'staffer' as const, id, name },
        facts: { ...facts, staffer: name, by: 'identity' as const },
      })),
    )
  })
}

async function keep(
  db: Database,
  tx: Tx,
  {
    identity,
    id,
    byGroups,
    now,
  }: { readonly identity: Who; readonly id: number; readonly byGroups: boolean; readonly now: Date },
): Promise<void> {
  const row = {
    staffer_id: id,
    issuer: identity.issuer,
    subject_hash: hashOf(identity),
    by_groups: byGroups,
    made_at: now,
    used_at: now,
  }
  await insert(db, StafferIdentities, [row], tx)
}

/** One account is one staffer's. */
async function onlyOne<T>(keeping: Promise<T>): Promise<T> {
  try {
    return await keeping
  } catch (error) {
    if (isDuplicate(error)) throw new AppError('IDENTITY_TAKEN')
    throw error
  }
}

/** Connects an account with whoever is signed in, in place of another one of theirs. */
export function connect(db: Database, who: SignedIn, identity: Who, now: Date): Promise<void> {
  const { id } = who.staffer
  return onlyOne(
    inTransaction(db, async tx => {
      const before = await findOne(db, StafferIdentities, { staffer_id: id }, { tx, lock: true })
      if (before?.subject_hash === hashOf(identity)) return
      // Groups of one account say nothing about another.
      if (before?.by_groups) throw new AppError('ROLE_BY_GROUPS')
      await remove(db, StafferIdentities, { staffer_id: id }, tx)
      await keep(db, tx, { identity, id, byGroups: false, now })
      await writeRecord(db, tx, [{ act: 'identity-connected', at: now, by: actor(who) }])
    }),
  )
}

/** Takes an invitation up by an account in place of a password. */
export async function joinInvited(
  db: Database,
  identity: Who,
  invitation: number,
  now: Date,
): Promise<Staffer> {
  if (await exists(db, StafferIdentities, { subject_hash: hashOf(identity) }))
    throw new AppError('IDENTITY_TAKEN')
  const id = await signInFree(
    inTransaction(db, async tx => {
      const made = await takeUp(db, tx, { id: invitation, password: '', now })
      await keep(db, tx, { identity, id: made, byGroups: false, now })
      return made
    }),
  )
  return needStaffer(db, id)
}

/** Forgets the account of whoever is signed in, if they have another way in. */
export async function disconnect(db: Database, who: SignedIn, now: Date): Promise<void> {
  const { id } = who.staffer
  const settings = await readOrganisation(db)
  await inTransaction(db, async tx => {
    const before = await findOne(db, StafferIdentities, { staffer_id: id }, { tx, lock: true })
    if (!before) throw new AppError('NOT_CONNECTED')
    const staffer = await findOne(db, Staffers, { id }, { columns: ['password'], tx })
    const hasPassword = staffer !== null && staffer.password !== '' && passwordsCount(settings)
    const hasPasskey = await exists(db, StafferFactors, { staffer_id: id, kind: 'passkey' }, { tx })
    if (before.by_groups || !(hasPassword || hasPasskey)) throw new AppError('IDENTITY_NEEDED')
    await remove(db, StafferIdentities, { staffer_id: id }, tx)
    await writeRecord(db, tx, [{ act: 'identity-dropped', at: now, by: actor(who) }])
  })
}
