import type { Request } from 'express'
import type { Database } from '../db/database.ts'
import { Staffers } from '../db/models/people.ts'
import { findOne } from '../db/rows.ts'
import { AppError } from '../errors.ts'
import { isPassword } from './passwords.ts'
import type { SignedIn } from './sessions.ts'
import { forgetTries, knownDevice, mayTry, type Trying } from './tries.ts'

/** Whether whoever is signed in knows their password. Throws OLD_PASSWORD_WRONG, and TOO_MANY_TRIES as at a sign-in. */
export async function checkOwnPassword(
  db: Database,
  { staffer: { id, signIn } }: SignedIn,
  { password, req, now }: { readonly password: string; readonly req: Request; readonly now: Date },
): Promise<void> {
  const trying: Trying = { kind: 'staff', account: signIn, device: await knownDevice(db, req, signIn) }
  if (!(await mayTry(db, trying, now))) throw new AppError('TOO_MANY_TRIES', { context: 'account' })
  const stored = await findOne(db, Staffers, { id }, { columns: ['password'] })
  if (!(await isPassword(password, stored?.password ?? ''))) throw new AppError('OLD_PASSWORD_WRONG')
  await forgetTries(db, trying)
}
