import type { ReplyFacts } from './shapes.ts'
import {
  bytes,
  chars,
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

export const DigestDue = model(
  'digest_due',
  { purpose: 'When each mailbox gets its next digest', grows: 'a row a mailbox', ends: 'with its mailbox' },
  {
    mailbox_id: primary(link('mailboxes')),
    next_at: maybe(moment()),
  },
)

export const Digests = model(
  'digests',
  {
    purpose: 'Digests that were sent, as they were sent',
    grows: 'a row a digest',
    ends: 'after the days of headers; the last of a mailbox stays',
  },
  {
    id: serial(),
    mailbox_id: link('mailboxes'),
    since: moment(),
    cut: moment(),
    listed: integer(),
    left_out: integer(),
    state: oneOf('waiting', 'sent', 'bounced'),
    problem: preset(text(500)),
    source: bytes('longblob'),
  },
)

export const DigestLines = model(
  'digest_lines',
  { purpose: 'Which deliveries a digest named', grows: 'a row a line', ends: 'with its delivery' },
  {
    delivery_id: primary(link('deliveries')),
    digest_id: link('digests'),
    mailbox_id: link('mailboxes'),
    place: integer(),
    reference: maybe(chars(7)),
  },
)

export const DigestNotes = model(
  'digest_notes',
  { purpose: 'Words of the help desk for a line to come', grows: 'a row a note', ends: 'with its delivery' },
  {
    delivery_id: primary(link('deliveries')),
    leave_out: flag(),
    note: text(500),
    by_name: text(200),
    at: moment(),
  },
)

export const DigestReplies = model(
  'digest_replies',
  {
    purpose: 'What colleagues replied, and what was done',
    grows: 'a row a reply',
    ends: 'after the days of headers',
  },
  {
    id: serial(),
    received_at: moment(),
    mailbox_id: link('mailboxes'),
    subject: text(500),
    source: bytes('longblob'),
    source_hash: chars(64),
    outcome: oneOf('asked', 'nothing-left', 'automatic', 'fresh'),
    needs_look: flag(),
    facts: json<ReplyFacts>(),
    answer: maybe(bytes('longblob')),
  },
)
