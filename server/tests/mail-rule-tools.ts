import { randomUUID } from 'node:crypto'
import { expect } from 'vitest'
import type { MailRuleDraft, MailRuleShape, RulesChange } from '@pendro/contract'
import { signedIn, type TestServer } from './support.ts'

type Staffer = Awaited<ReturnType<typeof signedIn>>

/** What a rule does, all that is not said left out. */
export const does = (more: Partial<MailRuleDraft['action']>): MailRuleDraft['action'] => ({
  hold: null,
  place: null,
  important: false,
  stop: false,
  ...more,
})

/** A rule that files proofs, unless told otherwise. */
export const draft = (more: Partial<MailRuleDraft> = {}): MailRuleDraft => ({
  name: 'Proofs',
  needs: 'all',
  conditions: [{ field: 'subject', test: 'contains', values: ['proof'] }],
  action: does({ hold: 'let-in', place: { kind: 'folder', folder: 'Print/Prøver' } }),
  ...more,
})

/** Changes and reads rules of a server's mailboxes by name; `null` is the organisation. */
export function ruleTools(
  server: TestServer,
  { per, oda }: { readonly per: Staffer; readonly oda: Staffer },
) {
  const ownerOf = (mailbox: string | null) => (mailbox === null ? null : server.mailbox(mailbox))
  const change = (mailbox: string | null, given: RulesChange, by: Staffer = per, token = randomUUID()) =>
    by.post('/api/mail-rules/changes', { mailbox: ownerOf(mailbox), change: given, token })
  const addRule = async (mailbox: string | null, more: Partial<MailRuleDraft> = {}): Promise<number> => {
    const by = mailbox === null ? oda : per
    const { body, status } = await change(mailbox, { act: 'add', draft: draft(more) }, by)
    expect([status, body.code]).toEqual([200, undefined])
    return body.added[0] as number
  }
  const rulesNow = async (mailbox: string | null): Promise<MailRuleShape[]> => {
    const owner = ownerOf(mailbox)
    const { body } = await per.get(`/api/mail-rules${owner === null ? '' : `?mailbox=${owner}`}`)
    return body.rules as MailRuleShape[]
  }
  return { ownerOf, change, addRule, rulesNow }
}
