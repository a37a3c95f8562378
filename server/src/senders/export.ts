import type { Response } from 'express'
import type { z } from 'zod'
import type { exportSenders } from '@pendro/contract'
import { dayOf } from '@pendro/core/calendar'
import { writeCsv, writeJson, writeSieve, writeText, type WrittenEntry } from '@pendro/core/lists'
import { parsePattern } from '@pendro/core/senders'
import { inTransaction, type Database } from '../db/database.ts'
import { readOrganisation } from '../db/organisation.ts'
import { writeRecord } from '../record/write.ts'
import { actor, type SignedIn } from '../sign-in/sessions.ts'
import { everyRow } from './table.ts'

type Query = z.output<(typeof exportSenders)['query']>

const forms: Readonly<
  Record<
    Query['format'],
    {
      readonly write: (entries: Iterable<WrittenEntry>) => string
      readonly type: string
      readonly ending: string
    }
  >
> = {
  text: { write: writeText, type: 'text/plain', ending: 'txt' },
  csv: { write: writeCsv, type: 'text/csv', ending: 'csv' },
  json: { write: writeJson, type: 'application/json', ending: 'json' },
  // RFC 5228 §6.1
  sieve: { write: writeSieve, type: 'application/sieve', ending: 'sieve' },
}

/** Sends the filtered lists as a file, and notes who took them out. */
export async function exportList(
  db: Database,
  who: SignedIn,
  { format, ...filter }: Query,
  now: Date,
  res: Response,
): Promise<void> {
  const { timeZone } = await readOrganisation(db)
  const entries: WrittenEntry[] = []
  for await (const row of everyRow(db, { filter, scope: who.scope }, now)) {
    const pattern = parsePattern(row.patternText)
    if (!pattern.ok) continue
    entries.push({
      pattern: pattern.value,
      standing: row.standing,
      reason: row.reason,
      // The stored moment is the end of the last day that counts.
      until: row.until === null ? null : dayOf(Date.parse(row.until) - 1, timeZone),
      withoutAuthentication: row.withoutAuthentication,
      keptBy: row.keptBy,
      binding: row.binding,
    })
  }
  const { write, type, ending } = forms[format]
  await inTransaction(db, tx =>
    writeRecord(db, tx, [
      {
        at: now,
        act: 'took-out',
        by: actor(who),
        mailboxId: filter.mailbox ?? null,
        facts: { entries: entries.length, format },
      },
    ]),
  )
  res
    .type(`${type}; charset=utf-8`)
    .set('Content-Disposition', `attachment; filename="senders-${dayOf(now.getTime(), timeZone)}.${ending}"`)
    .send(write(entries))
}
