import type { Request } from 'express'
import type { Factor, FactorKind, Proof } from '@pendro/contract'
import { inTransaction, isDuplicate, type Database, type Tx } from '../db/database.ts'
import type { NewRowOf } from '../db/models/columns.ts'
import { RecoveryCodes, StafferFactors } from '../db/models/people.ts'
import { findAll, findOne, insertOne, remove } from '../db/rows.ts'
import { AppError } from '../errors.ts'
import { writeRecord } from '../record/write.ts'
import type { Settings } from '../settings.ts'
import { renewRecoveryCodes, takeCode, takeRecoveryCode } from './codes.ts'
import { needParty, takePasskey } from './passkeys.ts'
import { actor, type SignedIn } from './sessions.ts'
import { readStep, takeChallenge } from './steps.ts'
import { forgetTries, mayTry, type Trying } from './tries.ts'

/** Second factors of a staffer, oldest first. */
export async function readFactors(db: Database, stafferId: number, tx?: Tx): Promise<Factor[]> {
  const rows = await findAll(
    db,
    StafferFactors,
    { staffer_id: stafferId },
    { columns: ['id', 'kind', 'name', 'made_at', 'used_at'], order: [['id', 'ASC']], tx },
  )
  return rows.map(({ id, kind, name, made_at, used_at }) => ({
    id,
    kind,
    name,
    madeAt: made_at.toISOString(),
    usedAt: used_at?.toISOString() ?? null,
  }))
}

/** Of which kinds somebody has factors. */
export async function factorKinds(db: Database, stafferId: number): Promise<FactorKind[]> {
  return [...new Set((await readFactors(db, stafferId)).map(({ kind }) => kind))]
}

export async function recoveryLeft(db: Database, stafferId: number): Promise<number> {
  return (await findAll(db, RecoveryCodes, { staffer_id: stafferId }, { columns: ['id'] })).length
}

interface Proving {
  readonly req: Request
  readonly settings: Pick<Settings, 'PENDRO_PUBLIC_URL'>
  /** The step that waits for it. */
  readonly step: string | null
  readonly now: Date
}

export type ProvenBy = 'passkey' | 'code' | 'recovery'

/**
 * Takes a proof of one staffer, by code or passkey. Throws FACTOR_WRONG; TOO_MANY_TRIES counts the codes of an account, which nobody
 * gets to try who does not know its password.
 */
export async function takeProof(
  db: Database,
  { id, signIn }: { readonly id: number; readonly signIn: string },
  proof: Proof,
  proving: Proving,
): Promise<ProvenBy> {
  const { req, settings, step, now } = proving
  if ('passkey' in proof) {
    const { challenge } = await takeChallenge(db, step, now)
    const used = { challenge: challenge ?? '', response: proof.passkey, stafferId: id, now }
    await takePasskey(db, needParty(req, settings), used)
    return 'passkey'
  }
  const trying: Trying = { kind: 'factor', account: signIn, device: '' }
  if (!(await mayTry(db, trying, now))) throw new AppError('TOO_MANY_TRIES', { context: 'account' })
  const code = proof.code.replace(/\s/g, '')
  const by = (await takeCode(db, id, code, now))
    ? ('code' as const)
    : (await takeRecoveryCode(db, id, code))
      ? ('recovery' as const)
      : null
  if (by === null) throw new AppError('FACTOR_WRONG')
  await forgetTries(db, trying)
  return by
}

/** Whose passkey opens a session that nobody's password began. */
export async function takeLonePasskey(
  db: Database,
  proof: Extract<Proof, { passkey: unknown }>,
  { req, settings, step, now }: Proving,
): Promise<number> {
  const { challenge } = await takeChallenge(db, step, now)
  const used = { challenge: challenge ?? '', response: proof.passkey, stafferId: null, now }
  return takePasskey(db, needParty(req, settings), used)
}

type NewFactor = Omit<NewRowOf<typeof StafferFactors>, 'staffer_id' | 'made_at'>

/** Keeps a new factor; with the first come recovery codes, told once. */
export async function addFactor(
  db: Database,
  who: SignedIn,
  made: NewFactor,
  now: Date,
): Promise<{ factor: Factor; recoveryCodes: string[] | null }> {
  const { id: stafferId } = who.staffer
  try {
    return await inTransaction(db, async tx => {
      const before = await readFactors(db, stafferId, tx)
      const id = await insertOne(db, StafferFactors, { ...made, staffer_id: stafferId, made_at: now }, tx)
      const recoveryCodes = before.length === 0 ? await renewRecoveryCodes(db, tx, stafferId) : null
      const { kind, name } = made
      await writeRecord(db, tx, [{ act: 'factor-added', at: now, by: actor(who), facts: { kind, name } }])
      return {
        factor: { id, kind, name, madeAt: now.toISOString(), usedAt: made.used_at?.toISOString() ?? null },
        recoveryCodes,
      }
    })
  } catch (error) {
    // The same passkey, sent twice or somebody else's.
    if (isDuplicate(error)) throw new AppError('FACTOR_WRONG', { context: 'passkey' })
    throw error
  }
}

/** Gives up a factor; with the last one recovery codes go, too, for which there is nothing left. */
export function dropFactor(
  db: Database,
  who: SignedIn,
  id: number,
  { isRequired, now }: { readonly isRequired: boolean; readonly now: Date },
): Promise<void> {
  const { id: stafferId } = who.staffer
  return inTransaction(db, async tx => {
    const all = await findAll(
      db,
      StafferFactors,
      { staffer_id: stafferId },
      { columns: ['id', 'kind', 'name'], tx, lock: true },
    )
    const factor = all.find(one => one.id === id)
    if (!factor) throw new AppError('FACTOR_NOT_FOUND')
    if (all.length === 1 && isRequired) throw new AppError('FACTOR_NEEDED')
    await remove(db, StafferFactors, { id }, tx)
    if (all.length === 1) await remove(db, RecoveryCodes, { staffer_id: stafferId }, tx)
    const { kind, name } = factor
    await writeRecord(db, tx, [{ act: 'factor-removed', at: now, by: actor(who), facts: { kind, name } }])
  })
}

/** New recovery codes for somebody who has a factor. */
export function renewOwnRecovery(db: Database, who: SignedIn, now: Date): Promise<string[]> {
  return inTransaction(db, async tx => {
    const any = await findOne(db, StafferFactors, { staffer_id: who.staffer.id }, { columns: ['id'], tx })
    if (!any) throw new AppError('FACTOR_NOT_FOUND')
    const codes = await renewRecoveryCodes(db, tx, who.staffer.id)
    await writeRecord(db, tx, [{ act: 'recovery-renewed', at: now, by: actor(who) }])
    return codes
  })
}

/** The secret a step keeps until its first code was right. */
export async function secretOfStep(db: Database, step: string, now: Date): Promise<string> {
  const { secret } = await readStep(db, step, now)
  if (secret === null) throw new AppError('STEP_OVER')
  return secret
}
