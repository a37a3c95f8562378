import { randomInt } from 'node:crypto'
import { inTransaction, type Database } from '../db/database.ts'
import { RecoveryCodes, Sessions, StafferFactors, Staffers } from '../db/models/people.ts'
import { findOne, remove, update } from '../db/rows.ts'
import { pendro, writeRecord } from '../record/write.ts'
import { hashPassword } from '../sign-in/passwords.ts'

/** Without letters and digits that look alike on a screen; 24 of 31 are more than 118 bits. */
const letters = 'abcdefghijkmnpqrstuvwxyz2345678'
const newPassword = () =>
  Array.from({ length: 6 }, () =>
    Array.from({ length: 4 }, () => letters[randomInt(letters.length)]).join(''),
  ).join('-')

/** For so long the password counts though passwords are off. */
const lasts = 86_400_000

/**
 * The way back for a staffer, by whoever has the machine: a new password, which counts for a day even where passwords are off; second factors
 * and sessions are gone, and a suspension, too. Role and departments stay. `null` for a name that nobody has.
 */
export async function resetStaffer(db: Database, signIn: string, now: Date): Promise<string | null> {
  const password = newPassword()
  const hash = await hashPassword(password)
  return inTransaction(db, async tx => {
    const staffer = await findOne(
      db,
      Staffers,
      { sign_in: signIn, is_program: 0 },
      { columns: ['id', 'name'], tx, lock: true },
    )
    if (!staffer) return null
    const { id, name } = staffer
    const password_until = new Date(now.getTime() + lasts)
    await update(db, Staffers, { password: hash, password_until, suspended_at: null }, { id }, tx)
    for (const table of [StafferFactors, RecoveryCodes, Sessions])
      await remove(db, table, { staffer_id: id }, tx)
    await writeRecord(db, tx, [{ act: 'staffer-reset', at: now, by: pendro, facts: { staffer: name } }])
    return password
  })
}
