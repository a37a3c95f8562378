import { Op } from 'sequelize'
import { createHash, createHmac, randomBytes, timingSafeEqual } from 'node:crypto'
import type { Request, Response } from 'express'
import { rateLimit, type RateLimitRequestHandler } from 'express-rate-limit'
import type { Throttle } from '@pendro/contract'
import { findRow, inTransaction, select, type Database } from '../db/database.ts'
import { remove } from '../db/rows.ts'
import { SignInTries } from '../db/models/people.ts'
import { signingKey } from '../db/signing-keys.ts'
import { AppError } from '../errors.ts'
import { writeRecord, type Actor } from '../record/write.ts'
import { readCookie } from './requests.ts'

/**
 * Tries are counted for each account and device. A device on which somebody signed in to the account before is known by
 * a signed cookie and has tries of its own; all others share theirs. So whoever guesses at an account uses up the tries
 * of strangers, and locks nobody out who was there before.
 */
export type Try = 'code' | 'factor' | 'proof' | 'staff'

const quarter = 15 * 60_000
const most: Readonly<Record<Try, number>> = { code: 5, factor: 10, proof: 10, staff: 10 }

const deviceCookie = 'pendro_device'
const deviceLength = 365 * 86_400_000
/** Accounts one browser is known to: more than a family of shared mailboxes needs. */
const mostAccounts = 8

const hash = (...parts: readonly string[]) => createHash('sha256').update(parts.join('\n')).digest('hex')

/** A mark is `nonce.signature`; the signature binds it to one account (HMAC-SHA-256, RFC 2104, cut to 128 bits). */
const signature = (key: Buffer, account: string, nonce: string) =>
  createHmac('sha256', key)
    .update(`device ${hash(account.toLowerCase())} ${nonce}`)
    .digest('base64url')
    .slice(0, 22)

const marksOf = (req: Request) => (readCookie(req, deviceCookie) ?? '').split('~').slice(0, mostAccounts)

/** The nonce of a device that is known to this account; '' for any other. */
export async function knownDevice(db: Database, req: Request, account: string): Promise<string> {
  const marks = marksOf(req)
  if (marks[0] === '') return ''
  const key = await signingKey(db, 'devices')
  for (const mark of marks) {
    const [, nonce = '', signed = ''] = /^([\w-]{22})\.([\w-]{22})$/.exec(mark) ?? []
    if (nonce !== '' && timingSafeEqual(Buffer.from(signature(key, account, nonce)), Buffer.from(signed)))
      return nonce
  }
  return ''
}

/** Makes the device known to the account that was just signed in to on it. */
export async function rememberDevice(
  db: Database,
  { req, res }: { readonly req: Request; readonly res: Response },
  account: string,
  { secure }: { readonly secure: boolean },
): Promise<void> {
  if ((await knownDevice(db, req, account)) !== '') return
  const nonce = randomBytes(16).toString('base64url')
  const mark = `${nonce}.${signature(await signingKey(db, 'devices'), account, nonce)}`
  const marks = [mark, ...marksOf(req).filter(one => one !== '')].slice(0, mostAccounts)
  res.cookie(deviceCookie, marks.join('~'), {
    httpOnly: true,
    sameSite: 'strict',
    secure,
    path: '/api',
    maxAge: deviceLength,
  })
}

/**
 * Failed tries of one network address in a minute; it stands beside the limit of each account. A device that is known to
 * the account is left out: behind one address there may be a whole organisation, and its attacker.
 */
export const throttle = (
  db: Database,
  limit: number,
  accountOf: (body: Readonly<Record<string, unknown>>) => unknown,
): RateLimitRequestHandler =>
  rateLimit({
    windowMs: 60_000,
    limit,
    skip: async req => {
      if (req.method !== 'POST') return true
      const account = accountOf((req.body ?? {}) as Record<string, unknown>)
      return typeof account === 'string' && (await knownDevice(db, req, account)) !== ''
    },
    skipSuccessfulRequests: true,
    standardHeaders: 'draft-7',
    legacyHeaders: false,
    handler: () => {
      throw new AppError('TOO_MANY_TRIES')
    },
  })

/** How often one network address may ask at all in a minute, where asking leaves something behind: a whole organisation may be behind one. */
export const slowAll = (limit: number): RateLimitRequestHandler =>
  rateLimit({
    windowMs: 60_000,
    limit,
    standardHeaders: 'draft-7',
    legacyHeaders: false,
    handler: () => {
      throw new AppError('TOO_MANY_TRIES')
    },
  })

export interface Trying {
  readonly kind: Try
  /** Whether there is such an account or not: a limit must not tell which there are. */
  readonly account: string
  /** Of `knownDevice`. */
  readonly device: string
}

const bucketOf = ({ kind, account, device }: Trying) => hash(kind, account.toLowerCase(), device)

/**
 * Counts a try before it is looked at, so that many at once do not slip through between look and count. False when
 * there were too many in a quarter of an hour, this one included.
 */
export async function mayTry(db: Database, trying: Trying, now: Date): Promise<boolean> {
  await remove(db, SignInTries, { since: { [Op.lte]: new Date(now.getTime() - quarter) } })
  const row = await findRow<{ n: number }>(
    db,
    // A name that nobody has is not kept: it may be a password, typed in the wrong place.
    `INSERT INTO sign_in_tries (bucket, n, since, kind, account, is_strange)
     VALUES (:bucket, 1, :now, :kind, COALESCE((SELECT sign_in FROM staffers WHERE :ofStaffers AND sign_in = :account LIMIT 1),
       (SELECT address FROM mailboxes WHERE NOT :ofStaffers AND address = :account LIMIT 1), ''), :isStrange)
     ON DUPLICATE KEY UPDATE n = n + 1 RETURNING n`,
    {
      bucket: bucketOf(trying),
      now,
      kind: trying.kind,
      account: trying.account,
      ofStaffers: trying.kind === 'staff' || trying.kind === 'factor',
      isStrange: trying.device === '',
    },
  )
  return (row?.n ?? 1) <= most[trying.kind]
}

/** Somebody who knew the password starts anew. One-time codes stay counted: a guess that was lucky was a guess. */
export async function forgetTries(db: Database, trying: Trying): Promise<void> {
  await remove(db, SignInTries, { bucket: bucketOf(trying) })
}

/** Accounts that have to wait, the one that waits longest first. */
export async function readThrottles(db: Database, now: Date): Promise<Throttle[]> {
  const rows = await select<{ kind: Try; account: string; is_strange: number; since: Date }>(
    db,
    `SELECT kind, account, MAX(is_strange) AS is_strange, MAX(since) AS since FROM sign_in_tries
     WHERE account <> '' AND since > :from AND (${Object.entries(most)
       .map(([kind, n]) => `(kind = '${kind}' AND n >= ${n})`)
       .join(' OR ')})
     GROUP BY kind, account ORDER BY since DESC, account LIMIT 200`,
    { from: new Date(now.getTime() - quarter) },
  )
  return rows.map(({ kind, account, is_strange, since }) => ({
    kind,
    account,
    strange: is_strange === 1,
    until: new Date(since.getTime() + quarter).toISOString(),
  }))
}

/** Lets an account be tried again at once; how many counts there were. */
export function clearThrottle(
  db: Database,
  {
    by,
    kind,
    account,
    now,
  }: { readonly by: Actor; readonly kind: Try; readonly account: string; readonly now: Date },
): Promise<number> {
  return inTransaction(db, async tx => {
    const cleared = await remove(db, SignInTries, { kind, account }, tx)
    if (cleared === 0) throw new AppError('THROTTLE_OVER')
    await writeRecord(db, tx, [{ act: 'throttle-cleared', at: now, by, facts: { account, kind } }])
    return cleared
  })
}
