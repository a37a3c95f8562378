import {
  endingStates,
  keptBackStates,
  settledStates,
  undecidedStates,
  type DeliveryState,
} from '@pendro/core/delivery'

/** A list of states as SQL has it after IN. They are names of ours: nothing in them needs a bound value. */
const statesSql = (states: readonly DeliveryState[]): string =>
  `(${states.map(state => `'${state}'`).join(', ')})`

export const undecidedSql = statesSql(undecidedStates)
export const keptBackSql = statesSql(keptBackStates)
export const endingSql = statesSql(endingStates)
export const settledSql = statesSql(settledStates)
