import type { Router } from 'express'
import { senderEntries } from '@pendro/contract'
import type { Deps } from '../app.ts'
import { select } from '../db/database.ts'
import { mount } from '../http.ts'
import { briefs, entryColumns, toEntry, type EntryRow } from './entries.ts'

export function senderRoutes(router: Router, { db }: Deps): void {
  mount(router, senderEntries, async ({ query }) => {
    const rows = await select<EntryRow & { created_at: Date; reason: string; origin: string }>(
      db,
      `SELECT ${entryColumns}, e.created_at, e.reason, e.origin FROM sender_entries e
       WHERE e.ended_at IS NULL ${query.find === '' ? '' : 'AND e.pattern LIKE :find'} ${query.mailbox === undefined ? '' : 'AND e.mailbox_id = :mailbox'}
       ORDER BY e.id DESC LIMIT :limit`,
      { find: `%${query.find.replace(/[\\%_]/g, '\\$&')}%`, mailbox: query.mailbox, limit: query.limit },
    )
    const shown = await briefs(db, rows.map(toEntry))
    return {
      entries: rows.flatMap(row => {
        const brief = shown.get(row.id)
        return brief
          ? [{ ...brief, createdAt: row.created_at.toISOString(), reason: row.reason, origin: row.origin }]
          : []
      }),
    }
  })
}
