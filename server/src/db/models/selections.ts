import { integer, link, maybe, model, moment, oneOf, preset, primary, serial } from './columns.ts'

export const Selections = model(
  'selections',
  {
    purpose: 'What a filter showed at one moment, to be ruled on as one, and how far that has come',
    grows: 'a row each time all that is shown is marked',
    ends: 'a day after it was made, unless it was ruled on',
  },
  {
    id: serial(),
    staffer_id: link('staffers'),
    made_at: moment(),
    state: preset(oneOf('open', 'ruling', 'ruled', 'undoing', 'undone')),
    ruling_id: maybe(link('rulings')),
    total: integer(),
    done: preset(integer()),
    left_alone: preset(integer()),
    undone_to: preset(integer({ size: 'big' })),
    claimed_until: maybe(moment()),
  },
)

export const SelectionDeliveries = model(
  'selection_deliveries',
  {
    purpose: 'The deliveries of a selection that are not ruled on yet',
    grows: 'a row a delivery marked',
    ends: 'when it has been ruled on, or with its selection',
  },
  { selection_id: primary(link('selections')), delivery_id: primary(link('deliveries')) },
)
