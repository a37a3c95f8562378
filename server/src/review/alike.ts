import type { DeliverySheet } from '@pendro/contract'
import { differences, type Member } from '@pendro/core/clusters'
import { findRow, select, type Database } from '../db/database.ts'
import { within, type Scope } from '../db/scope.ts'
import { unpackReading, type Reading } from '../reading/reading.ts'

/** Others are looked at up to so many, the newest: their readings have to be unpacked. */
const mostLookedAt = 20

interface Row {
  readonly message_id: number
  readonly from_address: string
  readonly subject: string
  readonly gzip: Buffer | null
}

/** The other messages of a delivery's cluster, and in what they differ; `null` where there are none. */
export async function readAlike(
  db: Database,
  scope: Scope,
  { messageId, clusterKey }: { readonly messageId: number; readonly clusterKey: string },
): Promise<DeliverySheet['alike']> {
  const rows = await select<Row>(
    db,
    `SELECT x.message_id, x.from_address, x.subject, r.gzip FROM (
       SELECT d.message_id, MAX(d.from_address) AS from_address, MAX(d.subject) AS subject FROM deliveries d
       WHERE d.cluster_key = :clusterKey AND ${within(scope, 'd.mailbox_id')} GROUP BY d.message_id ORDER BY d.message_id = :messageId DESC, d.message_id DESC LIMIT :limit) x
     LEFT JOIN message_readings r ON r.message_id = x.message_id`,
    { clusterKey, messageId, limit: mostLookedAt + 1 },
  )
  const own = rows.find(row => row.message_id === messageId)
  const others = rows.filter(row => row.message_id !== messageId)
  if (!own || others.length === 0) return null
  const total = await findRow<{ n: number }>(
    db,
    `SELECT COUNT(DISTINCT message_id) AS n FROM deliveries WHERE cluster_key = :clusterKey AND ${within(scope, 'mailbox_id')}`,
    { clusterKey },
  )
  const { subject, sender, hosts, attachments } = differences(memberOf(own), others.map(memberOf))
  const told = ({ count, most }: typeof subject) => ({ count, most: [...most] })
  return {
    messages: (total?.n ?? others.length + 1) - 1,
    lookedAt: others.length,
    subject: told(subject),
    sender: told(sender),
    hosts: told(hosts),
    attachments: told(attachments),
  }
}

function memberOf({ from_address: sender, subject, gzip }: Row): Member {
  const reading: Pick<Reading, 'hosts' | 'attachments'> = gzip ? unpackReading(gzip) : { attachments: [] }
  const { hosts = [], attachments } = reading
  return { subject, sender, hosts, attachments: attachments.map(({ name }) => name) }
}
