import type { Curve } from '@pendro/core/judgement'
import type { Finding } from '@pendro/core/weights'
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
  real,
  serial,
  signed,
  text,
} from './columns.ts'

export const Correspondence = model(
  'correspondence',
  { purpose: 'How often a colleague has written to an address', grows: 'a row a pair', ends: 'never' },
  {
    address: primary(text(320)),
    mailbox_id: primary(link('mailboxes')),
    domain: text(255),
    n: integer(),
  },
)

export const Contacts = model(
  'contacts',
  {
    purpose: 'Addresses of address books and directories: senders known before they ever wrote',
    grows: 'a row a contact and mailbox',
    ends: 'when taken out',
  },
  {
    address: primary(text(320)),
    /** 0: everybody's. */
    mailbox_id: primary(link('mailboxes')),
    source: primary(oneOf('brought-in', 'directory')),
  },
)

export const CorrespondenceDomains = model(
  'correspondence_domains',
  { purpose: 'The same by domain, for all colleagues', grows: 'a row a domain', ends: 'never' },
  {
    domain: primary(text(255)),
    n: integer(),
  },
)

export const SendersSeen = model(
  'senders_seen',
  {
    purpose: 'How often an address or domain has written, and what people called it',
    grows: 'two rows a new sender',
    ends: 'never',
  },
  {
    sender: primary(text(320)),
    n: integer(),
    wanted: preset(signed()),
    junk: preset(signed()),
  },
)

export const Words = model(
  'words',
  {
    purpose: 'How often a word stood in wanted and junk mail people ruled on',
    grows: 'a row a word',
    ends: 'never',
  },
  {
    word: primary(text(100)),
    wanted: signed(),
    junk: signed(),
  },
)

export const Lessons = model(
  'lessons',
  {
    purpose: 'What each ruling taught, so that undo takes back just that',
    grows: 'a row a message ruled on',
    ends: 'never',
  },
  {
    id: serial(),
    ruling_id: maybe(link('rulings')),
    message_id: maybe(link('messages')),
    verdict: oneOf('wanted', 'junk', 'phishing'),
    words: json<readonly string[]>(),
    senders: json<readonly string[]>(),
    /** 0: kept, and not counted, since its cluster, sender or colleague has taught as much as one may. */
    counted: preset(flag()),
    cluster_key: maybe(chars(32)),
    sender: maybe(text(320)),
    colleague_id: maybe(link('mailboxes')),
    /** Of a message of before. */
    history_id: maybe(link('history_messages')),
  },
)

export const TextCalibration = model(
  'text_calibration',
  {
    purpose: 'The linear model of words, and how both models of words are turned into odds',
    grows: 'one row',
    ends: 'never',
  },
  {
    id: primary(integer({ size: 'tiny' })),
    slope: real(),
    intercept: real(),
    lessons: integer(),
    last_lesson: integer(),
    log_loss: real(),
    fitted_at: moment(),
    stack_linear: preset(real()),
    stack_offset: preset(real()),
    /** Over both, where that judged better. */
    curve: maybe(json<Curve>()),
    /** Weights and rarity, 32-bit floats, packed; `null` without a linear model. */
    model: maybe(bytes('longblob')),
  },
)

export const WeightFit = model(
  'weight_fit',
  {
    purpose: 'The weights that judge the organisation’s rulings best, a step from those in use',
    grows: 'one row',
    ends: 'never',
  },
  {
    id: primary(integer({ size: 'tiny' })),
    /** Version of the weights it was fitted from. */
    base: integer(),
    own: json<Readonly<Partial<Record<Finding, number>>>>(),
    lessons: integer(),
    last_lesson: integer(),
    loss_before: real(),
    loss_after: real(),
    loss_error: real(),
    fitted_at: moment(),
    /** The last lesson of the fit that was last taken into use. */
    taken_lesson: preset(integer()),
  },
)

export const DriftAside = model(
  'drift_aside',
  {
    purpose:
      'Where judgement is often wrong, and why somebody leaves it so; it comes back when twice as much has gone wrong',
    grows: 'a row an act',
    ends: 'when taken back',
  },
  {
    drift_key: primary(text(330)),
    wrong: integer(),
    at: moment(),
    by_name: text(200),
    reason: text(1000),
  },
)
