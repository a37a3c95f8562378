import { z } from 'zod'
import { endpoint, everyone, writers } from './endpoint.ts'
import { id, idInPath, moment } from './shapes.ts'

const condition = z.object({
  field: z.enum(['from', 'to', 'subject', 'list', 'body']),
  test: z.enum(['contains', 'is', 'matches']),
  text: z.string().trim().min(1).max(500),
})

/** Named as the colleague sees it in their mail program; levels of folders are parted by '/'. */
const folderName = z
  .string()
  .trim()
  .min(1)
  .max(120)
  .regex(/^\P{Cc}*$/u, 'is a name without control characters')
  .refine(name => name.split('/').every(part => part.trim() !== ''), {
    error: 'has a name between all slashes',
  })

const action = z.discriminatedUnion('kind', [
  z.object({ kind: z.literal('folder'), folder: folderName }),
  z.object({ kind: z.literal('inbox') }),
  z.object({ kind: z.literal('junk') }),
])

/** A mail rule that is not stored yet. `needs`: whether all conditions must hold or one; compared as the tests of RFC 5228 are. */
export const mailRuleDraft = z.object({
  name: z.string().trim().min(1).max(120),
  needs: z.enum(['all', 'any']),
  conditions: z.array(condition).min(1).max(50),
  action,
})
/** A checked {@link mailRuleDraft}. */
export type MailRuleDraft = z.infer<typeof mailRuleDraft>

/** A stored mail rule, in its mailbox's order. */
export const mailRule = mailRuleDraft.extend({
  id,
  /** Off: it is kept, and matches nothing. */
  on: z.boolean(),
  madeAt: moment,
})
/** A stored mail rule, as it travels. */
export type MailRuleShape = z.infer<typeof mailRule>

/** Rules that are switched off are among them. */
export const listMailRules = endpoint({
  method: 'get',
  path: '/api/mailboxes/{id}/mail-rules',
  summary: 'The mail rules of a mailbox, in the order they are asked',
  roles: everyone,
  params: z.object({ id: idInPath }),
  response: z.object({ rules: z.array(mailRule) }),
  problems: ['MAILBOX_NOT_FOUND'],
})

/** Mail that is there already is not moved. TOO_MANY_RULES: a mailbox has 500 at most. */
export const addMailRule = endpoint({
  method: 'post',
  path: '/api/mailboxes/{id}/mail-rules',
  summary: 'Add a mail rule behind those a mailbox has; it counts for mail from now on',
  roles: writers,
  params: z.object({ id: idInPath }),
  body: mailRuleDraft,
  response: z.object({ id }),
  problems: ['MAILBOX_NOT_FOUND', 'TOO_MANY_RULES'],
})

const count = z.number().int()
/** "Without it" is decided anew by the rest of the path, not guessed. */
export const readMailRule = endpoint({
  method: 'get',
  path: '/api/mail-rules/{id}',
  summary: 'One mail rule with what it did in the last 30 days, and where that mail would be without it',
  roles: everyone,
  params: z.object({ id: idInPath }),
  response: mailRule.extend({
    mailboxId: id,
    mailboxName: z.string(),
    decided: count,
    without: z.object({ inbox: count, aside: count, moved: count, junk: count, quarantined: count }),
  }),
  problems: ['MAIL_RULE_NOT_FOUND'],
})
/** The answer of {@link readMailRule}. */
export type MailRuleSheet = z.infer<typeof readMailRule.response>

/** Said again it changes nothing and writes no record. */
export const switchMailRule = endpoint({
  method: 'post',
  path: '/api/mail-rules/{id}',
  summary: 'Switch a mail rule on or off; what it has moved stays where it is',
  roles: writers,
  params: z.object({ id: idInPath }),
  body: z.object({ on: z.boolean() }),
  response: z.object({}),
  problems: ['MAIL_RULE_NOT_FOUND'],
})

/** Requests about mail rules, by name. */
export const mailRuleEndpoints = { listMailRules, addMailRule, readMailRule, switchMailRule }
