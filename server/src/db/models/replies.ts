import type { AutomaticReply } from '@pendro/core/automatic-reply'
import { json, link, maybe, model, moment, oneOf, primary, text } from './columns.ts'

export const AutomaticReplies = model(
  'automatic_replies',
  {
    purpose: 'What a mailbox answers by itself, and when',
    grows: 'a row a mailbox that answers',
    ends: 'with its mailbox',
  },
  {
    mailbox_id: primary(link('mailboxes')),
    mode: oneOf('off', 'away', 'always'),
    setting: json<Omit<AutomaticReply, 'when'>>(),
  },
)

export const AutomaticRepliesSent = model(
  'automatic_replies_sent',
  {
    purpose: 'Whom a mailbox has answered, so that nobody is answered twice in so many days',
    grows: 'a row a sender and mailbox',
    ends: 'after 31 days',
  },
  {
    mailbox_id: primary(link('mailboxes')),
    address: primary(text(320)),
    at: moment(),
    delivery_id: link('deliveries'),
    sent_at: maybe(moment()),
  },
)
