import type { MailRule } from '@pendro/core/mail-rules'
import {
  flag,
  integer,
  json,
  link,
  maybe,
  model,
  moment,
  oneOf,
  preset,
  primary,
  serial,
  text,
} from './columns.ts'

export const MailRules = model(
  'mail_rules',
  {
    purpose: 'Rules by which a mailbox sorts its mail, and those of the organisation, which have no mailbox',
    grows: 'up to 500 rows a mailbox',
    ends: 'with its mailbox',
  },
  {
    id: serial(),
    mailbox_id: maybe(link('mailboxes')),
    place: integer({ size: 'small' }),
    name: text(120),
    needs: oneOf('all', 'any'),
    conditions: json<MailRule['conditions']>(),
    action: json<MailRule['action']>(),
    switched_on: preset(flag()),
    made_at: moment(),
    version: preset(integer()),
  },
)

/** A rule that was taken out, as it was. */
export interface FoldedRule extends Pick<MailRule, 'name' | 'needs' | 'conditions' | 'action'> {
  readonly mailboxId: number
  readonly place: number
  readonly on: boolean
  readonly madeAt: string
  readonly version: number
}

export const RulingRules = model(
  'ruling_rules',
  {
    purpose: 'Mail rules that a ruling made, to take them out when it is undone',
    grows: 'a row a rule made so',
    ends: 'never',
  },
  {
    ruling_id: primary(link('rulings')),
    rule_id: primary(link('mail_rules')),
  },
)

export const FoldedRules = model(
  'folded_rules',
  {
    purpose: 'Mail rules that became sender entries, to bring them back when that is undone',
    grows: 'a row a rule that was folded',
    ends: 'never',
  },
  {
    ruling_id: primary(link('rulings')),
    rule_id: primary(link('mail_rules')),
    was: json<FoldedRule>(),
  },
)
