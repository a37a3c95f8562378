import type { OrganisationSettings } from './shapes.ts'
import {
  bytes,
  changedAt,
  chars,
  decimal,
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

export const Organisations = model(
  'organisation',
  { purpose: 'The one organisation: name, zone, settings', grows: 'one row', ends: 'never' },
  {
    id: serial(),
    name: text(200),
    time_zone: text(64),
    settings: json<OrganisationSettings>(),
    changed_at: changedAt(),
  },
)

export const Versions = model(
  'versions',
  { purpose: 'How often what processes keep in memory has changed', grows: 'a row a kind', ends: 'never' },
  {
    name: primary(text(40)),
    n: integer({ size: 'big' }),
  },
)

export const SigningKeys = model(
  'signing_keys',
  {
    purpose: 'Keys this installation signs links, devices and deliveries with',
    grows: 'a row a kind',
    ends: 'never',
  },
  {
    name: primary(text(20)),
    value: bytes('varbinary(64)'),
  },
)

export const Mailboxes = model(
  'mailboxes',
  {
    purpose: 'Mailboxes with their limits, language and digest times',
    grows: 'a row a mailbox',
    ends: 'never',
  },
  {
    id: serial(),
    address: text(320),
    name: text(200),
    kind: oneOf('person', 'shared', 'list'),
    department: preset(text(100)),
    time_zone: text(64),
    language: text(20),
    limit_junk: maybe(decimal(4, 1)),
    limit_quarantined: maybe(decimal(4, 1)),
    limit_near_certain: maybe(decimal(4, 1)),
    uses_set_aside: preset(flag()),
    filtering: preset(flag()),
    digest_times: maybe(json<readonly string[]>()),
    digest_weekdays: maybe(json<readonly number[]>()),
    digest_lists_junk: preset(flag()),
    digest_lists_near_certain: preset(flag()),
    keep_quarantined: maybe(integer({ size: 'small' })),
    keep_junk: maybe(integer({ size: 'small' })),
    keep_discarded: maybe(integer({ size: 'small' })),
    junk_shown: preset(oneOf('always', 'new', 'never')),
    reminders: preset(oneOf('digest', 'message', 'off')),
    unfetched: maybe(json<readonly string[]>()),
    /** Closed since then: mail is refused, or goes to another mailbox. */
    closed_at: maybe(moment()),
    closed_to_id: maybe(integer()),
    /** What a directory calls it by, for good. */
    directory_id: maybe(text(200)),
    /** The name of its mail store, where its domain does not say; '' for none. */
    store: preset(text(60)),
  },
)

export const MailboxLooks = model(
  'mailbox_looks',
  {
    purpose: 'When the people of a mailbox last looked at what was kept back, and were reminded of it',
    grows: 'a row a mailbox',
    ends: 'with its mailbox',
  },
  {
    mailbox_id: primary(link('mailboxes')),
    kept_at: maybe(moment()),
    junk_at: maybe(moment()),
    reminded_at: maybe(moment()),
  },
)

export const AwayPeriods = model(
  'away_periods',
  {
    purpose: 'When a colleague is away, and who gets their digests meanwhile',
    grows: 'a few rows a colleague and year',
    ends: 'with the headers of the mail of that time',
  },
  {
    id: serial(),
    mailbox_id: link('mailboxes'),
    from_at: moment(),
    until_at: moment(),
    note: preset(text(200)),
    digests_to_id: maybe(link('mailboxes')),
  },
)

/** A value that may be any, nothing among them. */
interface Kept {
  readonly value: unknown
  /** Of a department's setting. */
  readonly department?: string
}

export const MailboxChanges = model(
  'mailbox_changes',
  {
    purpose: 'What was changed about a mailbox, or for all, so that it can be taken back',
    grows: 'a row an act',
    ends: 'never',
  },
  {
    id: serial(),
    mailbox_id: maybe(link('mailboxes')),
    at: moment(),
    what: text(40),
    was: json<Kept>(),
    is_now: json<Kept>(),
    token: chars(36),
    undone_at: maybe(moment()),
  },
)

export const Chores = model(
  'chores',
  {
    purpose: 'Work that one process does at a time, and how far it has come',
    grows: 'a row a kind',
    ends: 'never',
  },
  {
    name: primary(text(40)),
    claimed_until: maybe(moment()),
    next_at: moment(),
    done: preset(integer({ size: 'big' })),
  },
)

export const MailboxAddresses = model(
  'mailbox_addresses',
  {
    purpose: 'Every address and alias, and whose it is',
    grows: 'a few rows a mailbox',
    ends: 'with its mailbox',
  },
  {
    address: primary(text(320)),
    mailbox_id: link('mailboxes'),
  },
)

export const Minders = model(
  'minders',
  {
    purpose: 'Who gets the digests of a shared mailbox or list',
    grows: 'a few rows a shared mailbox',
    ends: 'with its mailbox',
  },
  {
    mailbox_id: primary(link('mailboxes')),
    minder_id: primary(link('mailboxes')),
  },
)
