import { createCipheriv, createDecipheriv, randomBytes } from 'node:crypto'
import { open } from 'node:fs/promises'
import type { ServerAt } from '@pendro/contract'
import { execute, findRow, type Database, type Tx } from '../db/database.ts'
import { Secrets as SecretsTable } from '../db/models/stores.ts'
import { findAll, remove } from '../db/rows.ts'

/** Who Pendro is at a server. A password is kept for both together: to another server it does not go. */
export interface Account extends Pick<ServerAt, 'host' | 'port'> {
  readonly user: string
}

/** What of other servers is not for everybody to see. */
export interface Secrets {
  /** The password of an account; `null` where none is kept, or it can't be read. */
  readonly passwordOf: (account: Account) => Promise<string | null>
  /** PEM file with authorities of one's own; '' for none. */
  readonly authorities: string
}

/** Passwords that are kept in the database, sealed. */
export interface Vault {
  /** There is a key to seal with. */
  readonly isOpen: boolean
  /** @throws {Error} without a key. */
  readonly keep: (account: Account, password: string, tx?: Tx) => Promise<void>
  readonly drop: (account: Account, tx?: Tx) => Promise<void>
  /** Accounts that a password is kept for, by their names, and since when. */
  readonly kept: () => Promise<readonly { readonly name: string; readonly since: Date }[]>
  /** `null` where none is kept, or it was sealed with another key. */
  readonly passwordOf: (account: Account) => Promise<string | null>
}

/** What a server is called in counts and on the screen. */
export const hostName = ({ host, port }: Pick<ServerAt, 'host' | 'port'>): string =>
  `${host.includes(':') ? `[${host}]` : host}:${port}`

/** What an account is called: user@host:port. */
export const accountName = ({ user, ...at }: Account): string => `${user}@${hostName(at)}`

/** Larger files are no list of passwords and no key. */
const mostBytes = 1_000_000

/** A small file as text. @throws {Error} as `node:fs` does, or where it is too large. */
export async function readSmall(file: string): Promise<string> {
  const handle = await open(file)
  try {
    const { size } = await handle.stat()
    if (size > mostBytes) throw Object.assign(new Error('the file is too large'), { code: 'EFBIG' })
    return await handle.readFile('utf8')
  } finally {
    await handle.close()
  }
}

/** Bytes of a key for AES-256 (FIPS 197). */
const keyBytes = 32

/**
 * The key from its text (base64, 32 bytes) or from a file with it; `null` where neither is given.
 * @throws {Error} for what is no such key: a server that seals with something else would lose what it seals.
 */
export async function readKey(text: string, file: string): Promise<Buffer | null> {
  if (text === '' && file === '') return null
  const written = (text === '' ? await readSmall(file) : text).trim()
  const key = Buffer.from(written, 'base64')
  if (key.length !== keyBytes || key.toString('base64').replace(/=+$/, '') !== written.replace(/=+$/, ''))
    throw new Error('PENDRO_SECRETS_KEY has to be 32 bytes in base64. Make one with: openssl rand -base64 32')
  return key
}

const version = 1
const [nonceBytes, tagBytes] = [12, 16]

/** AES-256-GCM (NIST SP 800-38D). The name is authenticated with it: a row that is copied to another name opens nothing. */
export function seal(key: Buffer, name: string, text: string): Buffer {
  const nonce = randomBytes(nonceBytes)
  const cipher = createCipheriv('aes-256-gcm', key, nonce).setAAD(Buffer.from(name))
  const sealed = Buffer.concat([cipher.update(text, 'utf8'), cipher.final()])
  return Buffer.concat([Buffer.from([version]), nonce, cipher.getAuthTag(), sealed])
}

/** What was sealed; `null` where the key or the name is another, or it was changed. */
export function unseal(key: Buffer, name: string, sealed: Buffer): string | null {
  if (sealed[0] !== version || sealed.length < 1 + nonceBytes + tagBytes) return null
  const nonce = sealed.subarray(1, 1 + nonceBytes)
  const tag = sealed.subarray(1 + nonceBytes, 1 + nonceBytes + tagBytes)
  try {
    const decipher = createDecipheriv('aes-256-gcm', key, nonce, { authTagLength: tagBytes })
      .setAAD(Buffer.from(name))
      .setAuthTag(tag)
    return (
      decipher.update(sealed.subarray(1 + nonceBytes + tagBytes), undefined, 'utf8') + decipher.final('utf8')
    )
  } catch {
    return null
  }
}

/** Passwords in the database. Without a key none is taken, and none can be read. */
export function createVault(db: Database, key: Buffer | null): Vault {
  return {
    isOpen: key !== null,
    keep: async (account, password, tx) => {
      if (key === null) throw new Error('There is no key to seal passwords with.')
      const name = accountName(account)
      await execute(
        db,
        'INSERT INTO secrets (name, sealed) VALUES (:name, :sealed) ON DUPLICATE KEY UPDATE sealed = :sealed',
        { name, sealed: seal(key, name, password) },
        tx,
      )
    },
    drop: async (account, tx) => {
      await remove(db, SecretsTable, { name: accountName(account) }, tx)
    },
    kept: async () =>
      (
        await findAll(db, SecretsTable, {}, { columns: ['name', 'changed_at'], order: [['name', 'ASC']] })
      ).map(({ name, changed_at }) => ({ name, since: changed_at })),
    passwordOf: async account => {
      if (key === null) return null
      const name = accountName(account)
      const row = await findRow<{ sealed: Buffer }>(db, 'SELECT sealed FROM secrets WHERE name = :name', {
        name,
      })
      return row && unseal(key, name, row.sealed)
    },
  }
}

/**
 * Passwords as the machine has them: a file with a line for each (user@host:port, a space, the password), then what is kept in the
 * database. Both are read anew each time, so that a password that was changed counts at once.
 */
export function createSecrets(
  vault: Pick<Vault, 'passwordOf'>,
  { passwords, authorities }: { readonly passwords: string; readonly authorities: string },
): Secrets {
  return {
    authorities,
    passwordOf: async account => (await fromFile(passwords, account)) ?? vault.passwordOf(account),
  }
}

async function fromFile(file: string, account: Account): Promise<string | null> {
  if (file === '') return null
  const start = `${accountName(account)} `
  try {
    const line = (await readSmall(file)).split(/\r?\n/).find(one => one.startsWith(start))
    return line?.slice(start.length) ?? null
  } catch {
    return null
  }
}
