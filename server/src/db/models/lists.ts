import type { ListFormat, ReachShape, Said } from '@pendro/contract'
import type { ImportOptions } from './shapes.ts'
import {
  bytes,
  day,
  flag,
  generated,
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

export const SenderEntries = model(
  'sender_entries',
  {
    purpose: 'Entries of all sender lists; one that has ended stays, for the history',
    grows: 'a row an entry',
    ends: 'never',
  },
  {
    id: serial(),
    mailbox_id: maybe(link('mailboxes')),
    kind: oneOf('address', 'domain', 'subtree', 'list'),
    pattern: text(400),
    standing: oneOf('safe', 'blocked'),
    binding: flag(),
    without_authentication: flag(),
    until: maybe(moment()),
    reason: text(1000),
    origin: oneOf('by hand', 'ruling', 'digest', 'import', 'contacts', 'mail rules', 'request', 'upkeep'),
    created_at: moment(),
    ended_at: maybe(moment()),
    live_key: generated(text(450)),
    last_matched_at: maybe(moment()),
    replaces_id: maybe(link('sender_entries')),
  },
)

export const ListVersions = model(
  'list_versions',
  {
    purpose: 'How often each list has changed; every change writes it first',
    grows: 'a row a list',
    ends: 'never',
  },
  {
    mailbox_id: primary(link('mailboxes')),
    version: integer({ size: 'big' }),
  },
)

export const EntryMatches = model(
  'entry_matches',
  {
    purpose: 'Which entries a delivery met, and in what role',
    grows: 'a few rows a delivery that met one',
    ends: 'with its delivery',
  },
  {
    delivery_id: primary(link('deliveries')),
    entry_id: primary(link('sender_entries')),
    role: oneOf('decided', 'overruled', 'refused'),
    received_day: day(),
  },
)

export const EntryRequests = model(
  'entry_requests',
  { purpose: 'Requests to make an entry one for everybody', grows: 'a row a request', ends: 'never' },
  {
    id: serial(),
    pattern: text(400),
    standing: oneOf('safe', 'blocked'),
    mailbox_id: link('mailboxes'),
    reason: text(1000),
    asked_by: text(200),
    asked_at: moment(),
    state: preset(oneOf('open', 'approved', 'declined')),
    answer: preset(text(1000)),
    answered_by: preset(text(200)),
    answered_at: maybe(moment()),
    ruling_id: maybe(link('rulings')),
    open_key: generated(text(430)),
    /** The ruling that asked for it; without one it was asked for by itself. */
    asked_ruling_id: maybe(link('rulings')),
  },
)

export const ListImports = model(
  'list_imports',
  {
    purpose: 'Lists that are brought in',
    grows: 'a row a list',
    ends: 'a week after it was read, unless it was taken',
  },
  {
    id: serial(),
    staffer_id: link('staffers'),
    at: moment(),
    name: text(200),
    format: text<ListFormat>(10),
    options: json<ImportOptions>(),
    source: bytes('longblob'),
    state: oneOf('reading', 'ready', 'taking', 'taken', 'failed'),
    claimed_until: maybe(moment()),
    done: preset(integer()),
    total: preset(integer()),
    problem: maybe(json<Said>()),
    reach: maybe(json<ReachShape>()),
    ruling_id: maybe(link('rulings')),
  },
)

export const ListImportLines = model(
  'list_import_lines',
  { purpose: 'What becomes of each line of an import', grows: 'a row a line', ends: 'with its import' },
  {
    import_id: primary(link('list_imports')),
    line: primary(integer()),
    part: primary(integer({ size: 'small' })),
    typed: text(400),
    outcome: oneOf('added', 'there', 'covered', 'contradicts', 'refused'),
    pattern: preset(text(400)),
    standing: maybe(oneOf('safe', 'blocked')),
    why: maybe(json<Said>()),
    reason: preset(text(1000)),
    until: maybe(moment()),
    without_authentication: preset(flag()),
    entry_id: maybe(link('sender_entries')),
  },
)

export const ListAccuracy = model(
  'list_accuracy',
  { purpose: 'How good the lists were, week by week', grows: 'a row a week', ends: 'never' },
  {
    week: primary(day()),
    decided: integer(),
    reversed: integer(),
  },
)
