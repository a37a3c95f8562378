import type { DeliveryState } from '@pendro/core/delivery'
import {
  bigSerial,
  bytes,
  integer,
  json,
  link,
  maybe,
  model,
  moment,
  oneOf,
  primary,
  text,
} from './columns.ts'

export const RecordEntries = model(
  'record_entries',
  {
    purpose: 'Who did what, to what, for whom and why; the database refuses to change it',
    grows: 'a row an act',
    ends: 'never',
  },
  {
    id: bigSerial(),
    at: moment(),
    act: text(40),
    by_kind: oneOf('staffer', 'colleague', 'pendro'),
    by_id: maybe(integer()),
    by_name: text(200),
    mailbox_id: maybe(link('mailboxes')),
    delivery_id: maybe(link('deliveries')),
    ruling_id: maybe(link('rulings')),
    reason: text(1000),
    facts: json<Readonly<Record<string, string | number>>>(),
  },
)

export const RecordUnsealed = model(
  'record_unsealed',
  { purpose: 'Entries that wait to be sealed', grows: 'a row an entry', ends: 'within seconds' },
  {
    entry_id: primary(link('record_entries')),
  },
)

export const RecordSeals = model(
  'record_seals',
  { purpose: 'The hash of each entry over the one before', grows: 'a row an entry', ends: 'never' },
  {
    seq: primary(integer({ size: 'big' })),
    entry_id: link('record_entries'),
    hash: bytes('binary(32)'),
  },
)

export const LiveEvents = model(
  'live_events',
  {
    purpose: 'What open screens are told',
    grows: 'some rows an act or delivery',
    ends: 'after a day',
  },
  {
    id: bigSerial(),
    at: moment(),
    kind: oneOf('came-in', 'changed', 'ruled', 'digest', 'senders', 'enquiry', 'mailbox'),
    delivery_id: maybe(link('deliveries')),
    state: maybe(text<DeliveryState>(12)),
    by_name: text(200),
  },
)
