import type { Router } from 'express'
import { findMailboxes, type MailboxBrief } from '@pendro/contract'
import type { Deps } from '../app.ts'
import { findRow, select } from '../db/database.ts'
import { mount } from '../http.ts'

export function mailboxRoutes(router: Router, { db }: Deps): void {
  mount(router, findMailboxes, async ({ query }) => {
    const find = `%${query.find.replace(/[\\%_]/g, '\\$&')}%`
    const matching =
      query.find === ''
        ? 'TRUE'
        : 'b.name LIKE :find OR b.department LIKE :find OR EXISTS (SELECT 1 FROM mailbox_addresses a WHERE a.mailbox_id = b.id AND a.address LIKE :find)'
    const mailboxes = await select<MailboxBrief>(
      db,
      `SELECT b.id, b.name, b.address, b.department, b.kind,
         (SELECT COUNT(*) FROM deliveries d WHERE d.mailbox_id = b.id AND d.state IN ('quarantined', 'junk')) AS kept
       FROM mailboxes b WHERE ${matching} ORDER BY kept DESC, b.name LIMIT :limit`,
      { find, limit: query.limit },
    )
    const total = await findRow<{ n: number }>(
      db,
      `SELECT COUNT(*) AS n FROM mailboxes b WHERE ${matching}`,
      { find },
    )
    return { mailboxes, total: total?.n ?? 0 }
  })
}
