import { createHash, randomInt } from 'node:crypto'
import { Secret, TOTP } from 'otpauth'
import { execute, type Database, type Tx } from '../db/database.ts'
import { RecoveryCodes, StafferFactors } from '../db/models/people.ts'
import { findAll, insert, remove } from '../db/rows.ts'

/** RFC 6238 as every app has it: SHA-1, six digits, thirty seconds; the codes before and after count for clocks that differ. */
const period = 30
const totp = (secret: string, label = ''): TOTP =>
  new TOTP({ issuer: 'Pendro', label, secret: Secret.fromBase32(secret), digits: 6, period })

/** A secret of 160 bits in base32 (RFC 4226 §4, R6). */
export const newSecret = (): string => new Secret({ size: 20 }).base32

/** What an app takes in as a picture. */
export const secretUri = (secret: string, label: string): string => totp(secret, label).toString()

/** The time step whose code this is; `null` for none of those that count now. */
export function stepOfCode(secret: string, code: string, now: Date): number | null {
  if (!/^\d{6}$/.test(code)) return null
  const delta = totp(secret).validate({ token: code, timestamp: now.getTime(), window: 1 })
  return delta === null ? null : Math.floor(now.getTime() / 1000 / period) + delta
}

/** Takes a code of one of somebody's apps; none is taken twice, also not at the same moment (RFC 6238 §5.2). */
export async function takeCode(db: Database, stafferId: number, code: string, now: Date): Promise<boolean> {
  const factors = await findAll(
    db,
    StafferFactors,
    { staffer_id: stafferId, kind: 'code' },
    { columns: ['id', 'secret'] },
  )
  for (const { id, secret } of factors) {
    const step = secret === null ? null : stepOfCode(secret, code, now)
    if (step === null) continue
    const taken = await execute(
      db,
      'UPDATE staffer_factors SET step = :step, used_at = :now WHERE id = :id AND (step IS NULL OR step < :step)',
      { id, step, now },
    )
    if (taken === 1) return true
  }
  return false
}

const howMany = 10
/** Without letters that are taken for digits. */
const letters = 'ABCDEFGHJKMNPQRSTVWXYZ23456789'

const hash = (stafferId: number, code: string) =>
  createHash('sha256')
    .update(`${stafferId} ${code.toUpperCase().replace(/[^A-Z0-9]/g, '')}`)
    .digest('hex')

/** Ten letters each, some 49 bits: too many to be guessed at ten tries a quarter of an hour. The old ones end. */
export async function renewRecoveryCodes(db: Database, tx: Tx, stafferId: number): Promise<string[]> {
  const part = () => Array.from({ length: 5 }, () => letters[randomInt(letters.length)]).join('')
  const codes = Array.from({ length: howMany }, () => `${part()}-${part()}`)
  await remove(db, RecoveryCodes, { staffer_id: stafferId }, tx)
  await insert(
    db,
    RecoveryCodes,
    codes.map(code => ({ staffer_id: stafferId, code_hash: hash(stafferId, code) })),
    tx,
  )
  return codes
}

/** Takes a recovery code; it is gone then. */
export async function takeRecoveryCode(db: Database, stafferId: number, code: string): Promise<boolean> {
  return (await remove(db, RecoveryCodes, { staffer_id: stafferId, code_hash: hash(stafferId, code) })) > 0
}
