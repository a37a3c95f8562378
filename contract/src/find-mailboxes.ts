import { z } from 'zod'
import { endpoint, everyone } from './endpoint.ts'
import { id, idInPath } from './shapes.ts'

/** A mailbox as a choice names it. `kept`: deliveries that wait for a decision. */
export const mailboxBrief = z.object({
  id,
  name: z.string(),
  address: z.string(),
  department: z.string(),
  kind: z.enum(['person', 'shared', 'list']),
  kept: z.number().int(),
  /** Of these in no digest yet: listed in the next one, and left out of it. */
  nextListed: z.number().int(),
  nextLeftOut: z.number().int(),
})

/** A checked {@link mailboxBrief}. */
export type MailboxBrief = z.infer<typeof mailboxBrief>

/** An empty text gives those with the most kept-back mail. */
export const findMailboxes = endpoint({
  method: 'get',
  path: '/api/mailboxes',
  summary: 'Mailboxes whose name, address or alias contains the text, most kept-back mail first',
  roles: everyone,
  scope: { 'query.id': 'mailbox' },
  query: z.object({
    find: z.string().trim().max(200).default(''),
    /** The one of this number, whatever is asked beside it. */
    id: idInPath.optional(),
    /** Most kept back first, or fullest next digest. */
    order: z.enum(['kept', 'digest']).default('kept'),
    limit: z.coerce.number().int().min(1).max(500).default(20),
  }),
  response: z.object({ mailboxes: z.array(mailboxBrief), total: z.number().int() }),
})
