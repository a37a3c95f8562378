import { createHmac, timingSafeEqual } from 'node:crypto'
import type { DigestLinks } from '@pendro/core/digest'
import { findRow, type Database, type Tx } from '../db/database.ts'

/** What the links of one mailbox's digest are signed with. */
export interface LinkSigner {
  readonly key: Buffer
  readonly mailboxId: number
  /** Links of earlier epochs have been revoked. */
  readonly epoch: number
}

/** What a link stands for: one delivery of one mailbox, until a moment. */
export interface LinkFacts {
  readonly deliveryId: number
  readonly mailboxId: number
  readonly epoch: number
  /** Epoch seconds. */
  readonly until: number
}

export async function linkSigner(db: Database, mailboxId: number, tx?: Tx): Promise<LinkSigner> {
  const row = await findRow<{ value: Buffer; epoch: number }>(
    db,
    `SELECT k.value, COALESCE(a.links_epoch, 1) AS epoch FROM signing_keys k
     LEFT JOIN colleague_access a ON a.mailbox_id = :mailboxId WHERE k.name = 'links'`,
    { mailboxId },
    tx,
  )
  if (!row) throw new Error('This database has no key to sign links with; its migrations are not complete.')
  return { key: row.value, mailboxId, epoch: row.epoch }
}

/** Enough that nobody finds one by trying: HMAC-SHA-256 (RFC 2104) cut to 128 bits (§5). */
const signatureLength = 32

const sign = (key: Buffer, text: string) =>
  createHmac('sha256', key).update(`digest-link ${text}`).digest('hex').slice(0, signatureLength)

/** Dots and lower-case letters only: nothing in it looks like a reference, or breaks when a line is wrapped. */
export function linkToken({ key, mailboxId, epoch }: LinkSigner, deliveryId: number, until: Date): string {
  const text = [deliveryId, mailboxId, epoch, Math.floor(until.getTime() / 1000)]
    .map(n => n.toString(36))
    .join('.')
  return `${text}.${sign(key, text)}`
}

/** What a token stands for; `null` when we have not signed it. Whether it still counts is another question. */
export function readLinkToken(key: Buffer, token: string): LinkFacts | null {
  const [, text, signature] = /^([0-9a-z]+(?:\.[0-9a-z]+){3})\.([0-9a-f]{32})$/.exec(token) ?? []
  if (text === undefined || signature === undefined) return null
  if (!timingSafeEqual(Buffer.from(sign(key, text)), Buffer.from(signature))) return null
  const [deliveryId = 0, mailboxId = 0, epoch = 0, until = 0] = text
    .split('.')
    .map(part => parseInt(part, 36))
  return { deliveryId, mailboxId, epoch, until }
}

/** The addresses of one line's links: pages that show what would be done, and do nothing. */
export function linksOf(publicUrl: string, signer: LinkSigner, deliveryId: number, until: Date): DigestLinks {
  const read = `${publicUrl}/d/${linkToken(signer, deliveryId, until)}`
  return { read, send: `${read}/send`, trust: `${read}/send-trust`, refuse: `${read}/refuse` }
}

export type LinkState = 'good' | 'expired' | 'revoked' | 'no-link'

/** What a token leads to, by its signature, its time, and whether its mailbox's links have been revoked. */
export async function readLink(
  db: Database,
  token: string,
  now: Date,
): Promise<{ state: LinkState; facts: LinkFacts | null }> {
  const { key } = await linkSigner(db, 0)
  const facts = readLinkToken(key, token)
  if (!facts) return { state: 'no-link', facts: null }
  const { epoch } = await linkSigner(db, facts.mailboxId)
  if (facts.epoch !== epoch) return { state: 'revoked', facts }
  return { state: facts.until * 1000 <= now.getTime() ? 'expired' : 'good', facts }
}
