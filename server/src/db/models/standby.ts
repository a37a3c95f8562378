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
