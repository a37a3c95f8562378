import {
  bytes,
  chars,
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
  textBlock,
} from './columns.ts'

export const StandbyMarks = model(
  'standby_marks',
  {
    purpose: 'What was read and answered while its mail store was away',
    grows: 'a row a message that is opened',
    ends: 'a month after the mail store had it',
  },
  {
    mailbox_id: primary(link('mailboxes')),
    kind: primary(oneOf('delivery', 'relay')),
    subject_id: primary(integer({ size: 'big' })),
    seen_at: moment(),
    answered_at: maybe(moment()),
    done_at: maybe(moment()),
    next_at: moment(),
    claimed_until: maybe(moment()),
  },
)

/** Whom a letter is to, as they were typed. */
export interface LetterRecipients {
  readonly to: readonly string[]
  readonly cc: readonly string[]
  readonly bcc: readonly string[]
}

export const StandbyLetters = model(
  'standby_letters',
  {
    purpose: 'What colleagues wrote while their mail store was away',
    grows: 'a row a letter',
    ends: 'a month after it was put into the Sent folder',
  },
  {
    id: serial(),
    mailbox_id: link('mailboxes'),
    state: preset(oneOf('draft', 'sent', 'gone')),
    token: chars(36),
    version: preset(integer()),
    /** The message it answers or passes on, as the page names it; '' for none. */
    answers: preset(text(20)),
    forwards: preset(text(20)),
    recipients: json<LetterRecipients>(),
    subject: preset(text(1000)),
    html: textBlock(),
    saved_at: moment(),
    sent_at: maybe(moment()),
    message_id: maybe(link('messages')),
    filed_at: maybe(moment()),
    next_at: moment(),
    claimed_until: maybe(moment()),
    problem: preset(text(500)),
  },
)

export const StandbyFiles = model(
  'standby_files',
  {
    purpose: 'Attachments of letters that are being written',
    grows: 'a row an attachment',
    ends: 'with their letter, or when it is sent',
  },
  {
    id: serial(),
    letter_id: link('standby_letters'),
    name: text(255),
    type: text(100),
    content: bytes('longblob'),
  },
)

export const OutageNotices = model(
  'outage_notices',
  {
    purpose:
      'Messages to colleagues that their mail store is away, passed on by an address of the organisation’s',
    grows: 'a row a colleague and outage they were told of',
    ends: 'a month after it was passed on or given up',
  },
  {
    id: serial(),
    store: text(60),
    since: moment(),
    mailbox_id: link('mailboxes'),
    state: preset(oneOf('waiting', 'sent', 'failed')),
    attempts: preset(integer()),
    next_at: moment(),
    claimed_until: maybe(moment()),
    ended_at: maybe(moment()),
    /** What the address answered, where that was no yes. */
    said: preset(text(500)),
  },
)
