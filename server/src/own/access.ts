import { Op } from 'sequelize'
import { createHash, randomBytes, randomInt } from 'node:crypto'
import type { Response } from 'express'
import type { OwnMay, OwnPart } from '@pendro/contract'
import { execute, findRow, inTransaction, isDuplicate, type Database, type Tx } from '../db/database.ts'
import { Mailboxes } from '../db/models/organisation.ts'
import { ColleagueAccess, ColleagueSessions } from '../db/models/people.ts'
import { exists, findOne, insert, remove, update } from '../db/rows.ts'
import { ownMailboxes, readOrganisation, type Organisation } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { enqueue } from '../outbox/queue.ts'
import { writeRecord } from '../record/write.ts'
import { isEasyToGuess } from '../sign-in/easy-passwords.ts'
import { hashPassword, isPassword } from '../sign-in/passwords.ts'
import { passwordsCount } from '../sign-in/sessions.ts'
import { forgetTries, mayTry, type Trying } from '../sign-in/tries.ts'

/** A colleague on their own pages. */
export interface SignedInColleague {
  readonly id: number
  readonly name: string
  readonly address: string
  readonly mailboxIds: readonly number[]
  readonly csrf: string
  /** What the organisation lets them do themselves. */
  readonly may: OwnMay
  /** Came in a moment ago by a code sent to the mailbox: need not know the old password to choose another. */
  readonly byCode: boolean
}

export const colleagueCookie = 'pendro_colleague'
/** A device stays signed in for half a year after it was last used: digests are read on the phone at breakfast. */
export const colleagueSessionLength = 180 * 86_400_000

export const codeMinutes = 10
/** How long after a code was typed a new password may be chosen without the old one. */
const codeOpens = 15 * 60_000

const idOf = (token: string) => createHash('sha256').update(token).digest('hex')

/** The person's mailbox an address belongs to, aliases included; `null` for none, and for shared mailboxes. */
export async function personOf(
  db: Database,
  address: string,
): Promise<{ id: number; name: string; address: string } | null> {
  return findRow(
    db,
    `SELECT b.id, b.name, b.address FROM mailbox_addresses a JOIN mailboxes b ON b.id = a.mailbox_id
     WHERE a.address = :address AND b.kind = 'person' AND b.closed_at IS NULL`,
    { address: address.toLowerCase() },
  )
}

export interface Proof {
  readonly address: string
  readonly password?: string
  readonly code?: string
  /** Of `knownDevice`. */
  readonly device: string
}

const tooMany = () => new AppError('TOO_MANY_TRIES', { context: 'mailbox' })

// Checked for an address nobody has, so that the answer takes as long.
const nobodysHash = hashPassword(randomBytes(16).toString('hex'))

/** Whose mailbox the proof opens. Throws when it opens none, and when too many were tried. */
export async function prove(
  db: Database,
  { address, password, code, device }: Proof,
  now: Date,
): Promise<number> {
  const person = await personOf(db, address)
  // Aliases of one mailbox share its tries.
  const trying: Trying = { kind: 'proof', account: person?.address ?? address, device }
  if (!(await mayTry(db, trying, now))) throw tooMany()
  const access =
    person &&
    (await findOne(
      db,
      ColleagueAccess,
      { mailbox_id: person.id },
      { columns: ['password', 'code', 'code_until'] },
    ))
  const typed = password ?? (code ?? '').replace(/\s/g, '')
  const stored =
    password !== undefined
      ? access?.password
      : access?.code_until && access.code_until > now
        ? access.code
        : null
  const right = await isPassword(typed, stored ?? (await nobodysHash))
  if (person && right && stored && (await takeProof(db, person.id, password === undefined ? stored : null))) {
    if (password !== undefined) await forgetTries(db, trying)
    return person.id
  }
  throw new AppError('OWN_SIGN_IN_FAILED')
}

/** A code opens once, whoever comes second. */
async function takeProof(db: Database, mailboxId: number, code: string | null): Promise<boolean> {
  if (code === null) return true
  const changed = await update(db, ColleagueAccess, { code: null }, { mailbox_id: mailboxId, code })
  return changed === 1
}

/** Opens a session on a device; the token goes into the cookie and is nowhere else. */
export async function openColleagueSession(
  db: Database,
  mailboxId: number,
  now: Date,
  { byCode = false }: { readonly byCode?: boolean } = {},
): Promise<string> {
  const token = randomBytes(32).toString('base64url')
  await remove(db, ColleagueSessions, { expires_at: { [Op.lt]: now } })
  await inTransaction(db, async tx => {
    await insert(
      db,
      ColleagueSessions,
      [
        {
          id: idOf(token),
          mailbox_id: mailboxId,
          csrf: randomBytes(32).toString('base64url'),
          expires_at: new Date(now.getTime() + colleagueSessionLength),
          code_at: byCode ? now : null,
        },
      ],
      tx,
    )
    const person = await findOne(db, Mailboxes, { id: mailboxId }, { columns: ['name'], tx })
    await writeRecord(db, tx, [
      {
        at: now,
        act: 'signed-in',
        facts: { with: 'own-page' },
        by: { kind: 'colleague', id: null, name: person?.name ?? '' },
        mailboxId,
      },
    ])
  })
  return token
}

/** Makes a device a colleague's. */
export function setColleagueCookie(
  res: Response,
  token: string,
  { secure }: { readonly secure: boolean },
): void {
  res.cookie(colleagueCookie, token, {
    httpOnly: true,
    sameSite: 'strict',
    secure,
    path: '/',
    maxAge: colleagueSessionLength,
  })
}

export async function findColleague(
  db: Database,
  token: string,
  now: Date,
): Promise<SignedInColleague | null> {
  const row = await findRow<{
    id: number
    name: string
    address: string
    csrf: string
    department: string
    expires_at: Date
    code_at: Date | null
  }>(
    db,
    `SELECT b.id, b.name, b.address, b.department, x.csrf, x.expires_at, x.code_at FROM colleague_sessions x JOIN mailboxes b ON b.id = x.mailbox_id
     WHERE x.id = :id AND x.expires_at > :now AND b.closed_at IS NULL`,
    { id: idOf(token), now },
  )
  if (!row) return null
  // Once a day is often enough to say that the device is in use.
  if (row.expires_at.getTime() - now.getTime() < colleagueSessionLength - 86_400_000)
    await update(
      db,
      ColleagueSessions,
      { expires_at: new Date(now.getTime() + colleagueSessionLength) },
      { id: idOf(token) },
    )
  const { id, name, address, csrf, department, code_at } = row
  const may = ownMayOf(await readOrganisation(db), department)
  const byCode = code_at !== null && now.getTime() - code_at.getTime() < codeOpens
  return { id, name, address, csrf, may, byCode, mailboxIds: await ownMailboxes(db, id, now) }
}

/** What colleagues of a department may do themselves. */
export function ownMayOf({ ownPages }: Pick<Organisation, 'ownPages'>, department: string): OwnMay {
  const own = ownPages?.departments.find(one => one.department === department)
  return own?.may ?? ownPages?.all ?? { digests: true, senders: true, away: true, rules: true }
}

/** Throws NOT_ON_OWN_PAGE for what the organisation keeps to itself. */
export function needMay({ may }: SignedInColleague, part: OwnPart): void {
  if (!may[part]) throw new AppError('NOT_ON_OWN_PAGE')
}

export async function closeColleagueSession(db: Database, token: string): Promise<void> {
  await remove(db, ColleagueSessions, { id: idOf(token) })
}

/** Queues a one-time code for a mailbox. Says nothing of whether there is such a mailbox. */
export async function askForCode(
  db: Database,
  { address, device }: Pick<Proof, 'address' | 'device'>,
  now: Date,
): Promise<void> {
  const person = await personOf(db, address)
  if (!(await mayTry(db, { kind: 'code', account: person?.address ?? address, device }, now))) throw tooMany()
  if (!person) return
  await inTransaction(db, async tx => {
    const job = { subjectId: person.id, place: String(person.id), at: now }
    await enqueue(db, tx, 'code', [job], { again: true })
  }).catch(error => {
    // One is on its way already, and serves.
    if (!isDuplicate(error)) throw error
  })
}

/** A new code of six digits; only its hash is kept. */
export async function makeCode(db: Database, mailboxId: number, now: Date): Promise<string> {
  const code = String(randomInt(1_000_000)).padStart(6, '0')
  await keepCode(db, mailboxId, code, new Date(now.getTime() + codeMinutes * 60_000))
  return code
}

/** A code that nobody can guess, for what is not typed and takes its time; it opens once, as any code. */
export async function makeLongCode(db: Database, mailboxId: number, until: Date): Promise<string> {
  const code = randomBytes(12).toString('base64url')
  await keepCode(db, mailboxId, code, until)
  return code
}

async function keepCode(db: Database, mailboxId: number, code: string, until: Date): Promise<void> {
  await execute(
    db,
    `INSERT INTO colleague_access (mailbox_id, code, code_until) VALUES (:mailboxId, :hash, :until)
     ON DUPLICATE KEY UPDATE code = :hash, code_until = :until`,
    { mailboxId, hash: await hashPassword(code), until },
  )
}

/** Gives a mailbox this password. */
export async function storePassword(
  db: Database,
  mailboxId: number,
  password: string,
  tx?: Tx,
): Promise<void> {
  await execute(
    db,
    `INSERT INTO colleague_access (mailbox_id, password) VALUES (:mailboxId, :hash) ON DUPLICATE KEY UPDATE password = :hash`,
    { mailboxId, hash: await hashPassword(password) },
    tx,
  )
}

interface NewPassword {
  readonly old: string
  readonly password: string
  /** Of `knownDevice`. */
  readonly device: string
}

/**
 * A new password; every other device is signed out, since one of them may be the reason for it. A phone left on a table
 * must not be enough to take an account over: the old password is asked for, or a code sent to the mailbox.
 */
export async function choosePassword(
  db: Database,
  colleague: SignedInColleague,
  { old, password, device }: NewPassword,
  now: Date,
): Promise<void> {
  const { id, name, address, csrf, byCode } = colleague
  const settings = await readOrganisation(db)
  if (!passwordsCount(settings)) throw new AppError('PASSWORDS_OFF')
  const { name: organisation } = settings
  if (!byCode && (await hasPassword(db, id))) {
    if (old === '') throw new AppError('OLD_PASSWORD_WRONG', { context: 'missing' })
    const trying: Trying = { kind: 'proof', account: address, device }
    if (!(await mayTry(db, trying, now))) throw tooMany()
    const stored = await findOne(db, ColleagueAccess, { mailbox_id: id }, { columns: ['password'] })
    if (!(await isPassword(old, stored?.password ?? ''))) throw new AppError('OLD_PASSWORD_WRONG')
    await forgetTries(db, trying)
  }
  if (await isEasyToGuess(password, [name, address, organisation])) throw new AppError('EASY_PASSWORD')
  await inTransaction(db, async tx => {
    await storePassword(db, id, password, tx)
    await signOutOthers(db, tx, { id, csrf })
    await writeRecord(db, tx, [
      { at: now, act: 'own-password', by: { kind: 'colleague', id: null, name }, mailboxId: id },
    ])
  })
}

const signOutOthers = (db: Database, tx: Tx, { id, csrf }: Pick<SignedInColleague, 'id' | 'csrf'>) =>
  remove(db, ColleagueSessions, { mailbox_id: id, csrf: { [Op.ne]: csrf } }, tx)

export function hasPassword(db: Database, mailboxId: number): Promise<boolean> {
  return exists(db, ColleagueAccess, { mailbox_id: mailboxId, password: { [Op.ne]: null } })
}

/** Links of earlier digests lead nowhere from now on, and other devices are signed out. */
export async function revoke(db: Database, { id, name, csrf }: SignedInColleague, now: Date): Promise<void> {
  await inTransaction(db, async tx => {
    await execute(
      db,
      `INSERT INTO colleague_access (mailbox_id, links_epoch) VALUES (:id, 2) ON DUPLICATE KEY UPDATE links_epoch = links_epoch + 1`,
      { id },
      tx,
    )
    await signOutOthers(db, tx, { id, csrf })
    await writeRecord(db, tx, [
      { at: now, act: 'links-revoked', by: { kind: 'colleague', id: null, name }, mailboxId: id },
    ])
  })
}
