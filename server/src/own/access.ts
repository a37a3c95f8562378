import { createHash, randomBytes, randomInt } from 'node:crypto'
import {
  execute,
  findRow,
  inTransaction,
  insert,
  isDuplicate,
  type Database,
  type Tx,
} from '../db/database.ts'
import { ownMailboxes } from '../db/organisation.ts'
import { AppError } from '../errors.ts'
import { writeRecord } from '../record/write.ts'
import { hashPassword, isPassword } from '../sign-in/passwords.ts'

/** A colleague on their own pages. */
export interface SignedInColleague {
  readonly id: number
  readonly name: string
  readonly address: string
  readonly mailboxIds: readonly number[]
  readonly csrf: string
}

export const colleagueCookie = 'pendro_colleague'
/** A device stays signed in for half a year after it was last used: digests are read on the phone at breakfast. */
export const colleagueSessionLength = 180 * 86_400_000

export const codeMinutes = 10
const quarter = 15 * 60_000
const mostFailures = 10
const mostCodes = 5

const idOf = (token: string) => createHash('sha256').update(token).digest('hex')

/** The person's mailbox an address belongs to, aliases included; `null` for none, and for shared mailboxes. */
export async function personOf(
  db: Database,
  address: string,
): Promise<{ id: number; name: string; address: string } | null> {
  return findRow(
    db,
    `SELECT b.id, b.name, b.address FROM mailbox_addresses a JOIN mailboxes b ON b.id = a.mailbox_id
     WHERE a.address = :address AND b.kind = 'person'`,
    { address: address.toLowerCase() },
  )
}

interface AccessRow {
  readonly password: string | null
  readonly code: string | null
  readonly code_until: Date | null
}

type Try = 'code' | 'proof'

const hashOf = (address: string) => createHash('sha256').update(address.toLowerCase()).digest('hex')

/**
 * Counts a try before it is looked at, so that many at once do not slip through between look and count; how
 * many there were in a quarter of an hour, this one included.
 */
async function countTry(db: Database, address: string, kind: Try, now: Date): Promise<number> {
  await execute(db, 'DELETE FROM colleague_tries WHERE since <= :since', {
    since: new Date(now.getTime() - quarter),
  })
  const row = await findRow<{ n: number }>(
    db,
    'INSERT INTO colleague_tries (address_hash, kind, n, since) VALUES (:hash, :kind, 1, :now) ON DUPLICATE KEY UPDATE n = n + 1 RETURNING n',
    { hash: hashOf(address), kind, now },
  )
  return row?.n ?? 1
}

export interface Proof {
  readonly address: string
  readonly password?: string
  readonly code?: string
}

const tooMany = () => new AppError('TOO_MANY_TRIES', { context: 'mailbox' })

// Checked for an address nobody has, so that the answer takes as long.
const nobodysHash = hashPassword(randomBytes(16).toString('hex'))

/** Whose mailbox the proof opens. Throws when it opens none, and when too many were tried. */
export async function prove(db: Database, { address, password, code }: Proof, now: Date): Promise<number> {
  const person = await personOf(db, address)
  // Aliases of one mailbox share its tries.
  const tried = person?.address ?? address
  if ((await countTry(db, tried, 'proof', now)) > mostFailures) throw tooMany()
  const access =
    person &&
    (await findRow<AccessRow>(
      db,
      'SELECT password, code, code_until FROM colleague_access WHERE mailbox_id = :id',
      { id: person.id },
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
    await execute(db, "DELETE FROM colleague_tries WHERE address_hash = :hash AND kind = 'proof'", {
      hash: hashOf(tried),
    })
    return person.id
  }
  throw new AppError('OWN_SIGN_IN_FAILED')
}

/** A code opens once, whoever comes second. */
async function takeProof(db: Database, mailboxId: number, code: string | null): Promise<boolean> {
  if (code === null) return true
  const changed = await execute(
    db,
    'UPDATE colleague_access SET code = NULL WHERE mailbox_id = :mailboxId AND code = :code',
    { mailboxId, code },
  )
  return changed === 1
}

/** Opens a session on a device; the token goes into the cookie and is nowhere else. */
export async function openColleagueSession(db: Database, mailboxId: number, now: Date): Promise<string> {
  const token = randomBytes(32).toString('base64url')
  await execute(db, 'DELETE FROM colleague_sessions WHERE expires_at < :now', { now })
  await inTransaction(db, async tx => {
    await insert(
      db,
      'colleague_sessions',
      [
        {
          id: idOf(token),
          mailbox_id: mailboxId,
          csrf: randomBytes(32).toString('base64url'),
          expires_at: new Date(now.getTime() + colleagueSessionLength),
        },
      ],
      tx,
    )
    const person = await findRow<{ name: string }>(
      db,
      'SELECT name FROM mailboxes WHERE id = :mailboxId',
      { mailboxId },
      tx,
    )
    await writeRecord(db, tx, [
      {
        at: now,
        act: 'signed-in',
        by: { kind: 'colleague', id: null, name: person?.name ?? '' },
        mailboxId,
      },
    ])
  })
  return token
}

export async function findColleague(
  db: Database,
  token: string,
  now: Date,
): Promise<SignedInColleague | null> {
  const row = await findRow<{ id: number; name: string; address: string; csrf: string; expires_at: Date }>(
    db,
    `SELECT b.id, b.name, b.address, x.csrf, x.expires_at FROM colleague_sessions x JOIN mailboxes b ON b.id = x.mailbox_id
     WHERE x.id = :id AND x.expires_at > :now`,
    { id: idOf(token), now },
  )
  if (!row) return null
  // Once a day is often enough to say that the device is in use.
  if (row.expires_at.getTime() - now.getTime() < colleagueSessionLength - 86_400_000)
    await execute(db, 'UPDATE colleague_sessions SET expires_at = :until WHERE id = :id', {
      id: idOf(token),
      until: new Date(now.getTime() + colleagueSessionLength),
    })
  const { id, name, address, csrf } = row
  return { id, name, address, csrf, mailboxIds: await ownMailboxes(db, id) }
}

export async function closeColleagueSession(db: Database, token: string): Promise<void> {
  await execute(db, 'DELETE FROM colleague_sessions WHERE id = :id', { id: idOf(token) })
}

/** Queues a one-time code for a mailbox. Says nothing of whether there is such a mailbox. */
export async function askForCode(db: Database, address: string, now: Date): Promise<void> {
  const person = await personOf(db, address)
  const tried = person?.address ?? address
  if ((await countTry(db, tried, 'code', now)) > mostCodes) throw tooMany()
  if (!person) return
  await inTransaction(db, async tx => {
    await execute(
      db,
      "DELETE FROM outbox WHERE kind = 'code' AND subject_id = :id AND done_at IS NOT NULL",
      { id: person.id },
      tx,
    )
    await insert(
      db,
      'outbox',
      [{ kind: 'code', subject_id: person.id, place: String(person.id), next_at: now }],
      tx,
    )
  }).catch(error => {
    // One is on its way already, and serves.
    if (!isDuplicate(error)) throw error
  })
}

/** A new code of six digits; only its hash is kept. */
export async function makeCode(db: Database, mailboxId: number, now: Date): Promise<string> {
  const code = String(randomInt(1_000_000)).padStart(6, '0')
  await execute(
    db,
    `INSERT INTO colleague_access (mailbox_id, code, code_until) VALUES (:mailboxId, :hash, :until)
     ON DUPLICATE KEY UPDATE code = :hash, code_until = :until`,
    { mailboxId, hash: await hashPassword(code), until: new Date(now.getTime() + codeMinutes * 60_000) },
  )
  return code
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

/** A new password; every other device is signed out, since one of them may be the reason for it. */
export async function choosePassword(
  db: Database,
  { id, name, csrf }: SignedInColleague,
  password: string,
  now: Date,
): Promise<void> {
  await inTransaction(db, async tx => {
    await storePassword(db, id, password, tx)
    await signOutOthers(db, tx, { id, csrf })
    await writeRecord(db, tx, [
      { at: now, act: 'own-password', by: { kind: 'colleague', id: null, name }, mailboxId: id },
    ])
  })
}

const signOutOthers = (db: Database, tx: Tx, { id, csrf }: Pick<SignedInColleague, 'id' | 'csrf'>) =>
  execute(db, 'DELETE FROM colleague_sessions WHERE mailbox_id = :id AND csrf <> :csrf', { id, csrf }, tx)

export async function hasPassword(db: Database, mailboxId: number): Promise<boolean> {
  const row = await findRow(
    db,
    'SELECT 1 AS yes FROM colleague_access WHERE mailbox_id = :mailboxId AND password IS NOT NULL',
    { mailboxId },
  )
  return row !== null
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
