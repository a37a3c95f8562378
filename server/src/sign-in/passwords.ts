import { randomBytes, scrypt, timingSafeEqual, type ScryptOptions } from 'node:crypto'
import { passwordCost } from './password-cost.ts'

const keyLength = 32

export function derive(
  password: string | Buffer,
  salt: string | Buffer,
  length: number,
  options: ScryptOptions,
): Promise<Buffer> {
  return new Promise((resolve, reject) => {
    scrypt(password, salt, length, { maxmem: 256 * 1024 * 1024, ...options }, (error, key) =>
      error ? reject(error) : resolve(key),
    )
  })
}

/** scrypt (RFC 7914) as 'scrypt$N$r$p$salt$key', salt and key in base64url. */
export async function hashPassword(password: string): Promise<string> {
  const salt = randomBytes(16)
  const { N, r, p } = passwordCost
  const key = await derive(password.normalize('NFKC'), salt, keyLength, passwordCost)
  return ['scrypt', N, r, p, salt.toString('base64url'), key.toString('base64url')].join('$')
}

/** Whether the password belongs to the hash. A hash of another form belongs to no password. */
export async function isPassword(password: string, hash: string): Promise<boolean> {
  const [kind, n, r, p, salt, key] = hash.split('$')
  if (kind !== 'scrypt' || !n || !r || !p || !salt || !key) return false
  const wanted = Buffer.from(key, 'base64url')
  // A hash that was cut short would be easier to meet.
  if (wanted.length !== keyLength) return false
  const found = await derive(password.normalize('NFKC'), Buffer.from(salt, 'base64url'), wanted.length, {
    N: Number(n),
    r: Number(r),
    p: Number(p),
  })
  return timingSafeEqual(found, wanted)
}
