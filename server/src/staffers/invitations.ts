import { createHash, randomBytes } from 'node:crypto'
import { Op } from 'sequelize'
import type { InvitationRow, Role } from '@pendro/contract'
import { findRow, inTransaction, isDuplicate, select, type Database, type Tx } from '../db/database.ts'
import { StafferInvitations, Staffers } from '../db/models/people.ts'
import { readOrganisation } from '../db/organisation.ts'
import { exists, findOne, insertOne, update } from '../db/rows.ts'
import { enqueue } from '../outbox/queue.ts'
import { AppError } from '../errors.ts'
import { writeRecord, type Actor } from '../record/write.ts'
import { isEasyToGuess } from '../sign-in/easy-passwords.ts'
import { checkDepartments, told } from './departments.ts'
import { hashPassword } from '../sign-in/passwords.ts'
import { passwordsCount } from '../sign-in/sessions.ts'

/** Long enough for a weekend, short enough for a link in a mailbox. */
const lasts = 3 * 86_400_000

interface Row {
  readonly id: number
  readonly name: string
  readonly sign_in: string
  readonly role: Role
  readonly departments: readonly string[] | null
  readonly by_name: string
  readonly at: Date
  readonly expires_at: Date
}

const shown = ({
  id,
  name,
  sign_in: signIn,
  role,
  departments,
  by_name: by,
  at,
  expires_at,
}: Row): InvitationRow => ({
  id,
  name,
  signIn,
  role,
  departments: departments && [...departments],
  by,
  at: at.toISOString(),
  expiresAt: expires_at.toISOString(),
})

/** The database holds only the hash: whoever reads it can't take an invitation up. */
const hashOf = (secret: string) => createHash('sha256').update(secret).digest('hex')

/** Invitations that stand, newest first. */
export async function readInvitations(db: Database, now: Date): Promise<InvitationRow[]> {
  const rows = await select<Row>(
    db,
    `SELECT id, name, sign_in, role, departments, by_name, at, expires_at FROM staffer_invitations
     WHERE over_at IS NULL AND expires_at > :now ORDER BY id DESC LIMIT 200`,
    { now },
  )
  return rows.map(shown)
}

interface Invited {
  readonly by: Actor
  readonly name: string
  readonly signIn: string
  readonly role: Role
  readonly departments: readonly string[] | null
  /** The address of the mailbox that gets the link; '' where it is handed over. */
  readonly mailTo: string
  readonly now: Date
}

/** Invites somebody; the secret is told here and nowhere else. */
export function invite(
  db: Database,
  { by, name, signIn, role, departments, mailTo, now }: Invited,
): Promise<{ invitation: InvitationRow; secret: string | null }> {
  const secret = randomBytes(32).toString('base64url')
  const expires = new Date(now.getTime() + lasts)
  return inTransaction(db, async tx => {
    await checkDepartments(db, departments, tx)
    if (await isTaken(db, tx, signIn, now)) throw new AppError('SIGN_IN_TAKEN')
    const mailbox = mailTo === '' ? null : await mailboxAt(db, tx, mailTo)
    const row = { name, sign_in: signIn, role, departments, by_name: by.name, at: now, expires_at: expires }
    const id = await insertOne(db, StafferInvitations, { ...row, secret_hash: hashOf(secret) }, tx)
    await writeRecord(db, tx, [
      { act: 'staffer-invited', at: now, by, facts: { staffer: name, role, departments: told(departments) } },
    ])
    if (mailTo !== '')
      await enqueue(db, tx, 'invitation', [{ subjectId: id, place: String(mailbox), at: now }])
    return { invitation: shown({ ...row, id }), secret: mailTo === '' ? secret : null }
  })
}

/** Invitations go to a mailbox of ours alone: Pendro is no way to write to anybody. */
async function mailboxAt(db: Database, tx: Tx, address: string): Promise<number> {
  const found = await findRow<{ id: number }>(
    db,
    `SELECT b.id FROM mailbox_addresses a JOIN mailboxes b ON b.id = a.mailbox_id
     WHERE a.address = :address AND b.kind = 'person' AND b.closed_at IS NULL`,
    { address },
    tx,
  )
  if (!found) throw new AppError('MAILBOX_NOT_FOUND')
  return found.id
}

/** The secret of an invitation that goes as a message, made when it is about to go; `null`: it has ended. */
export async function renewSecret(
  db: Database,
  id: number,
  now: Date,
): Promise<{ readonly secret: string; readonly signIn: string; readonly by: string } | null> {
  const secret = randomBytes(32).toString('base64url')
  const changed = await update(
    db,
    StafferInvitations,
    { secret_hash: hashOf(secret) },
    { id, over_at: null, expires_at: { [Op.gt]: now } },
  )
  const row = changed === 0 ? null : await findOne(db, StafferInvitations, { id })
  return row && { secret, signIn: row.sign_in, by: row.by_name }
}

async function isTaken(db: Database, tx: Tx, signIn: string, now: Date): Promise<boolean> {
  if (await exists(db, Staffers, { sign_in: signIn }, { tx })) return true
  const row = await findRow<{ id: number }>(
    db,
    'SELECT id FROM staffer_invitations WHERE sign_in = :signIn AND over_at IS NULL AND expires_at > :now LIMIT 1',
    { signIn, now },
    tx,
  )
  return row !== null
}

/** Takes an invitation back. */
export function withdraw(db: Database, by: Actor, id: number, now: Date): Promise<void> {
  return inTransaction(db, async tx => {
    const row = await findOne(db, StafferInvitations, { id }, { tx, lock: true })
    if (!row || row.over_at !== null) throw new AppError('INVITATION_OVER')
    await update(db, StafferInvitations, { over_at: now }, { id }, tx)
    await writeRecord(db, tx, [{ act: 'staffer-uninvited', at: now, by, facts: { staffer: row.name } }])
  })
}

/** Whom a secret invites. Throws INVITATION_OVER for one that invites nobody. */
export async function findInvitation(db: Database, secret: string, now: Date) {
  const row = await findOne(db, StafferInvitations, { secret_hash: hashOf(secret) })
  if (!row || row.over_at !== null || row.expires_at <= now) throw new AppError('INVITATION_OVER')
  const { name: organisation } = await readOrganisation(db)
  const { id, name, sign_in: signIn } = row
  return { id, name, signIn, organisation, expiresAt: row.expires_at.toISOString() }
}

/** Makes a staffer of whoever was invited; works once. */
export async function accept(
  db: Database,
  { secret, password, now }: { secret: string; password: string; now: Date },
): Promise<{ signIn: string }> {
  const { id, name, signIn, organisation } = await findInvitation(db, secret, now)
  if (!passwordsCount(await readOrganisation(db))) throw new AppError('PASSWORDS_OFF')
  if (await isEasyToGuess(password, [name, signIn, organisation])) throw new AppError('EASY_PASSWORD')
  const hash = await hashPassword(password)
  await signInFree(inTransaction(db, tx => takeUp(db, tx, { id, password: hash, now })))
  return { signIn }
}

/** Two who take a name at the same moment: the later one hears of it. */
export async function signInFree<T>(joining: Promise<T>): Promise<T> {
  try {
    return await joining
  } catch (error) {
    if (isDuplicate(error)) throw new AppError('SIGN_IN_TAKEN')
    throw error
  }
}

/** Takes an invitation up within a transaction; the new staffer's number. */
export async function takeUp(
  db: Database,
  tx: Tx,
  { id, password, now }: { readonly id: number; readonly password: string; readonly now: Date },
): Promise<number> {
  const row = await findOne(db, StafferInvitations, { id }, { tx, lock: true })
  if (!row || row.over_at !== null || row.expires_at <= now) throw new AppError('INVITATION_OVER')
  const { name, sign_in, role, departments } = row
  const stafferId = await insertOne(db, Staffers, { name, sign_in, role, departments, password }, tx)
  await update(db, StafferInvitations, { over_at: now }, { id }, tx)
  await writeRecord(db, tx, [
    {
      act: 'staffer-joined',
      at: now,
      by: { kind: 'staffer', id: stafferId, name },
      facts: { staffer: name, role, departments: told(departments) },
    },
  ])
  return stafferId
}
