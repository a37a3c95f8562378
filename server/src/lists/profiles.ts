import { createHash } from 'node:crypto'
import type { SenderFacts } from '@pendro/core/senders'
import { execute, select, type Database, type Tx } from '../db/database.ts'

/** What sender lists look at; the notes of authentication are for showing and differ from message to message. */
function profileOf({ from, envelopeFrom, sender, listId, authentication }: SenderFacts): SenderFacts {
  const { dmarc, spf, dkim } = authentication
  return { from, envelopeFrom, sender, listId, authentication: { dmarc, spf, dkim } }
}

/** The profile of each message in order; ones not seen before are added. */
export async function profileIds(
  db: Database,
  tx: Tx,
  senders: readonly SenderFacts[],
): Promise<readonly number[]> {
  if (senders.length === 0) return []
  const texts = senders.map(sender => JSON.stringify(profileOf(sender)))
  const hashes = texts.map(text => createHash('sha256').update(text).digest('hex'))
  const known = await findIds(db, tx, hashes)
  const missing = new Map(hashes.flatMap((hash, i) => (known.has(hash) ? [] : [[hash, texts[i] ?? '']])))
  if (missing.size === 0) return hashes.map(hash => known.get(hash) ?? 0)
  // Sorted, so that two intakes with the same new senders wait for each other instead of deadlocking.
  const sorted = [...missing].sort(([a], [b]) => ((a ?? '') < (b ?? '') ? -1 : 1))
  for (let start = 0; start < sorted.length; start += 200) {
    const some = sorted.slice(start, start + 200)
    await execute(
      db,
      `INSERT INTO sender_profiles (hash, facts) VALUES ${some.map((_, i) => `(:h${i}, :f${i})`).join(',')}
       ON DUPLICATE KEY UPDATE sender_profiles.id = sender_profiles.id`,
      Object.fromEntries(
        some.flatMap(([hash, facts], i) => [
          [`h${i}`, hash],
          [`f${i}`, facts],
        ]),
      ),
      tx,
    )
  }
  const all = await findIds(db, tx, hashes)
  return hashes.map(hash => all.get(hash) ?? 0)
}

async function findIds(
  db: Database,
  tx: Tx,
  hashes: readonly string[],
): Promise<ReadonlyMap<string, number>> {
  const rows = await select<{ id: number; hash: string }>(
    db,
    'SELECT id, hash FROM sender_profiles WHERE hash IN (:hashes)',
    { hashes: [...new Set(hashes)] },
    tx,
  )
  return new Map(rows.map(({ id, hash }) => [hash, id]))
}
