import type { RulingSentence } from '@pendro/contract'
import type { DeliveryState } from '@pendro/core/delivery'
import { chars, json, link, maybe, model, moment, oneOf, primary, serial, text } from './columns.ts'

export const Rulings = model(
  'rulings',
  {
    purpose: 'What people decided: the sentence, who, when, undone when',
    grows: 'a row an act',
    ends: 'never',
  },
  {
    id: serial(),
    token: chars(36),
    staffer_id: maybe(link('staffers')),
    at: moment(),
    sentence: json<RulingSentence>(),
    undone_at: maybe(moment()),
    colleague_id: maybe(link('mailboxes')),
  },
)

export const RulingDeliveries = model(
  'ruling_deliveries',
  {
    purpose: 'Deliveries an act was about, from where to where',
    grows: 'a row a delivery ruled on',
    ends: 'with their delivery',
  },
  {
    ruling_id: primary(link('rulings')),
    delivery_id: primary(link('deliveries')),
    from_state: text<DeliveryState>(12),
    to_state: text<DeliveryState>(12),
  },
)

export const RulingEntries = model(
  'ruling_entries',
  { purpose: 'Entries an act added and ended', grows: 'a row an entry', ends: 'never' },
  {
    ruling_id: primary(link('rulings')),
    entry_id: primary(link('sender_entries')),
    what: primary(oneOf('added', 'ended')),
  },
)
