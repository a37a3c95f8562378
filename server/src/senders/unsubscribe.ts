import http from 'node:http'
import https from 'node:https'
import ipaddr from 'ipaddr.js'
import { findUnsubscribe, type SenderFacts, type Unsubscribe } from '@pendro/core/senders'
import { findRow, inTransaction, type Database } from '../db/database.ts'
import { findOne } from '../db/rows.ts'
import { Deliveries } from '../db/models/deliveries.ts'
import { AppError } from '../errors.ts'
import { writeRecord } from '../record/write.ts'
import { isPublicAddress, publicLookup } from '../public-address.ts'
import type { Reader } from '../reading/reader.ts'
import { findReading } from '../reading/reading.ts'
import { actor, type SignedIn } from '../sign-in/sessions.ts'

const timeLimit = 8_000
const body = 'List-Unsubscribe=One-Click'

/**
 * Sends the one-click request (RFC 8058 §3.2): a POST without cookies or referrer, redirects not followed,
 * to public hosts only. `standIn`: an address that takes the place of every host. True when it was taken.
 */
export function requestUnsubscribe(text: string, standIn: string | null): Promise<boolean> {
  const url = new URL(text)
  const literal = url.hostname.replace(/^\[|\]$/g, '')
  if (ipaddr.isValid(literal) && !isPublicAddress(literal)) return Promise.resolve(false)
  const target = standIn === null ? url : new URL(url.pathname + url.search, standIn)
  const client = target.protocol === 'https:' ? https : http
  return new Promise(resolve => {
    const req = client.request(
      target,
      {
        method: 'POST',
        headers: {
          'Content-Type': 'application/x-www-form-urlencoded',
          'Content-Length': Buffer.byteLength(body),
          'User-Agent': 'Pendro',
          Host: url.host,
        },
        timeout: timeLimit,
        agent: false,
        ...(standIn === null ? { lookup: publicLookup } : {}),
      },
      res => {
        res.resume()
        resolve((res.statusCode ?? 500) >= 200 && (res.statusCode ?? 500) < 300)
      },
    )
    req.on('timeout', () => req.destroy())
    req.on('error', () => resolve(false))
    req.end(body)
  })
}

/** What way out the message of a delivery offers. */
export async function readUnsubscribe(
  db: Database,
  deliveryId: number,
  read: Reader['read'],
): Promise<Unsubscribe> {
  const row = await findRow<{ message_id: number; sender_facts: SenderFacts; gone: number }>(
    db,
    `SELECT d.message_id, m.sender_facts, NOT EXISTS (SELECT 1 FROM message_sources s WHERE s.message_id = m.id) AS gone
     FROM deliveries d JOIN messages m ON m.id = d.message_id WHERE d.id = :deliveryId`,
    { deliveryId },
  )
  if (!row) throw new AppError('DELIVERY_NOT_FOUND')
  if (row.gone === 1) throw new AppError('SOURCE_GONE')
  const reading = await findReading(db, row.message_id, read)
  return reading ? findUnsubscribe(reading.headers, row.sender_facts) : { kind: 'none' }
}

interface Asked {
  readonly deliveryId: number
  readonly reason: string
  /** 'on', 'off', or what stands in for every host. */
  readonly setting: string
  readonly read: Reader['read']
  readonly now: Date
}

/** Uses the sender's own way out. It leaves the house, so it can't be undone; the record names it. */
export async function unsubscribeFrom(
  db: Database,
  who: SignedIn,
  { deliveryId, reason, setting, read, now }: Asked,
): Promise<string> {
  const found = await readUnsubscribe(db, deliveryId, read)
  if (found.kind !== 'one-click' || setting === 'off') throw new AppError('NO_UNSUBSCRIBE')
  const { host } = new URL(found.url)
  if (!(await requestUnsubscribe(found.url, setting === 'on' ? null : setting)))
    throw new AppError('UNSUBSCRIBE_FAILED')
  const delivery = await findOne(
    db,
    Deliveries,
    { id: deliveryId },
    { columns: ['mailbox_id', 'subject', 'from_address'] },
  )
  await inTransaction(db, tx =>
    writeRecord(db, tx, [
      {
        at: now,
        act: 'unsubscribed',
        by: actor(who),
        mailboxId: delivery?.mailbox_id ?? null,
        deliveryId,
        reason,
        facts: { host, from: delivery?.from_address ?? '', subject: delivery?.subject ?? '' },
      },
    ]),
  )
  return host
}
