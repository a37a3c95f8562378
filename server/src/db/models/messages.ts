import type { SenderFacts } from '@pendro/core/senders'
import type { Harm } from './shapes.ts'
import {
  bigSerial,
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

export const Messages = model(
  'messages',
  {
    purpose: 'Messages: envelope, who sent them, what is harmful; in, and out for correspondence',
    grows: 'a row a message',
    ends: 'with its last delivery; what nobody got, after the days of headers',
  },
  {
    id: bigSerial(),
    direction: oneOf('in', 'out'),
    received_at: moment(),
    message_id_hash: maybe(chars(64)),
    envelope_from: text(320),
    from_name: text(255),
    from_address: text(320),
    subject: text(500),
    size: integer(),
    sender_facts: json<SenderFacts>(),
    harm: maybe(json<Harm>()),
    bulk: flag(),
    unreadable: maybe(text(200)),
    profile_id: maybe(link('sender_profiles')),
    called: maybe(oneOf('wanted', 'junk')),
    client_ip: preset(text(45)),
    client_helo: preset(text(255)),
    sent_to: preset(text(1000)),
    /** Of what goes out: no colleague wrote it. */
    by_program: preset(flag()),
    /** ISO 639-1, by its text; `null` where it can't be told, and of messages of before. */
    language: maybe(chars(3)),
  },
)

export const MessageSources = model(
  'message_sources',
  { purpose: 'The bytes of a message, packed', grows: 'a row a message', ends: 'with its message' },
  {
    message_id: primary(link('messages')),
    gzip: bytes('longblob'),
  },
)

export const MessageReadings = model(
  'message_readings',
  {
    purpose: 'What was read of a message, packed, so that nothing is parsed twice',
    grows: 'a row a message',
    ends: 'with its message',
  },
  {
    message_id: primary(link('messages')),
    gzip: bytes('mediumblob'),
    pdf_words: maybe(json<readonly (string | null)[]>()),
  },
)

export const MessageSenders = model(
  'message_senders',
  {
    purpose: 'Under whose names a message came: From, envelope, Sender, list',
    grows: 'a few rows a message',
    ends: 'with its message',
  },
  {
    message_id: primary(link('messages')),
    place: primary(oneOf('from', 'envelope', 'sender', 'list')),
    n: primary(integer({ size: 'tiny' })),
    domain_key: text(260),
    address: text(320),
  },
)

export const MessageWords = model(
  'message_words',
  { purpose: 'What a message is found by', grows: 'a row a message', ends: 'with its message' },
  {
    message_id: primary(link('messages')),
    words: text(900),
  },
)

export const KnownSenders = model(
  'known_senders',
  { purpose: 'Names and addresses that have written', grows: 'a row a new sender', ends: 'never' },
  {
    id: serial(),
    address: text(320),
    name: text(255),
    words: text(700),
    indexed: preset(flag()),
  },
)

export const SenderTrigrams = model(
  'sender_trigrams',
  {
    purpose: 'Groups of three letters a sender is found by when misspelt',
    grows: 'some twenty rows a new sender',
    ends: 'with its sender',
  },
  {
    trigram: primary(chars(3)),
    sender_id: primary(link('known_senders')),
  },
)

export const SenderProfiles = model(
  'sender_profiles',
  {
    purpose: 'What sender lists look at, once for all messages that are alike',
    grows: 'a row a new kind of sender',
    ends: 'never',
  },
  {
    id: serial(),
    hash: chars(64),
    facts: json<SenderFacts>(),
  },
)

export const Inspections = model(
  'inspections',
  {
    purpose: 'Messages the attachment lab looks at',
    grows: 'a row a message with attachments',
    ends: 'with its message',
  },
  {
    message_id: primary(link('messages')),
    attempts: preset(integer()),
    next_at: moment(),
    claimed_until: maybe(moment()),
    done_at: maybe(moment()),
    tickets: json<readonly string[]>(),
    verdict: maybe(oneOf('clean', 'harmful', 'unknown')),
    problem: preset(text(500)),
  },
)

export const Refusals = model(
  'refusals',
  {
    purpose: 'What the door refused, for Whereabouts',
    grows: 'a row a refusal, bounded by session',
    ends: 'after the days of headers',
  },
  {
    id: bigSerial(),
    at: moment(),
    ip: text(45),
    helo: text(255),
    envelope_from: text(320),
    recipient: text(320),
    code: integer({ size: 'small' }),
    reason: text(300),
  },
)

export const Relays = model(
  'relays',
  {
    purpose: 'Mail of colleagues on its way out, by recipient, and what became of it',
    grows: 'a row a recipient of what colleagues send',
    ends: 'with its message',
  },
  {
    id: bigSerial(),
    message_id: link('messages'),
    recipient: text(320),
    state: preset(oneOf('waiting', 'taken', 'returned')),
    give_up_at: moment(),
    ended_at: maybe(moment()),
    problem: preset(text(500)),
  },
)
