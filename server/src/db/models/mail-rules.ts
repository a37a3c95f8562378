import type { MailRule } from '@pendro/core/mail-rules'
import { flag, integer, json, link, model, moment, oneOf, preset, serial, text } from './columns.ts'

export const MailRules = model(
  'mail_rules',
  {
    purpose: 'Rules by which a mailbox sorts its mail',
    grows: 'up to 500 rows a mailbox',
    ends: 'with its mailbox',
  },
  {
    id: serial(),
    mailbox_id: link('mailboxes'),
    place: integer({ size: 'small' }),
    name: text(120),
    needs: oneOf('all', 'any'),
    conditions: json<MailRule['conditions']>(),
    action: json<MailRule['action']>(),
    switched_on: preset(flag()),
    made_at: moment(),
  },
)
