import { no, yes, type Parsed } from '../address/parsed.ts'
import {
  endingStates,
  isRemembered,
  rememberedStates,
  storedStates,
  type DeliveryState,
  type RememberedState,
} from './states.ts'

/** Everything that moves a delivery. `release`, `discard`, `restore` and `erase` are acts of people; the rest happens. */
export type Act =
  | 'release'
  | 'discard'
  | 'restore'
  /** Discarded for good: nobody brings it back, and its content goes at once. */
  | 'erase'
  /** The lab found nothing: it goes where it was judged to go. */
  | 'clear'
  /** The lab found harm. */
  | 'seal'
  /** The mail store took it. */
  | 'land'
  /** The mail store will not take it. */
  | 'refuse'
  /** The mail store took it and could not deliver it after all (RFC 3464). */
  | 'bounce'
  /** At the mail store it was moved to the inbox. */
  | 'bring'
  /** At the mail store it was moved back. */
  | 'refile'
  /** Its days are over. */
  | 'expire'

type By = 'person' | 'pendro'

interface Transition {
  readonly from: readonly DeliveryState[]
  readonly to: readonly DeliveryState[]
  readonly by: By
  /** A job for the outbox follows. */
  readonly queues: boolean
}

/**
 * What is legal: from where, by which act, to where (domain.md §7). Where there are several ends, what the delivery
 * remembers or is bound for decides (`placeAfter`).
 */
export const transitions: Readonly<Record<Act, Transition>> = {
  // What is set aside, in a named folder or refused can be had in the inbox, too; the copy there stays.
  release: {
    from: ['quarantined', 'junk', 'aside', 'moved', 'bounced'],
    to: ['deferred'],
    by: 'person',
    queues: true,
  },
  discard: { from: ['quarantined', 'junk', 'sealed'], to: ['discarded'], by: 'person', queues: false },
  restore: {
    from: ['discarded'],
    to: rememberedStates,
    by: 'person',
    queues: false,
  },
  erase: { from: ['discarded'], to: ['expired'], by: 'person', queues: false },
  clear: { from: ['inspecting'], to: ['quarantined', 'deferred', 'discarded'], by: 'pendro', queues: true },
  seal: { from: ['inspecting'], to: ['sealed'], by: 'pendro', queues: false },
  land: {
    from: ['deferred'],
    to: storedStates,
    by: 'pendro',
    queues: false,
  },
  refuse: { from: ['deferred'], to: ['bounced'], by: 'pendro', queues: false },
  bounce: {
    from: storedStates,
    to: ['bounced'],
    by: 'pendro',
    queues: false,
  },
  bring: { from: ['junk', 'aside', 'moved'], to: ['released'], by: 'pendro', queues: false },
  refile: { from: ['released'], to: ['junk', 'aside', 'moved'], by: 'pendro', queues: false },
  expire: {
    from: endingStates,
    to: ['expired'],
    by: 'pendro',
    queues: false,
  },
}

/** Whether an act can be done to a delivery in a state. */
export const isLegal = (act: Act, from: DeliveryState): boolean => transitions[act].from.includes(from)

/** What people may do to a delivery in a state. */
export const personalActs = (from: DeliveryState): readonly ('release' | 'discard' | 'restore')[] =>
  (['release', 'discard', 'restore'] as const).filter(act => isLegal(act, from))

/** Where a delivery remembers to have been; `null` when it never was where somebody could have moved it from. */
export interface Memory {
  readonly cameFrom: RememberedState | null
}

/** Where a person's act leads; the act has to be legal. */
export function placeAfter(act: 'release' | 'discard' | 'restore', { cameFrom }: Memory): DeliveryState {
  switch (act) {
    case 'release':
      return 'deferred'
    case 'discard':
      return 'discarded'
    case 'restore':
      return cameFrom ?? 'quarantined'
  }
}

/** What a delivery remembers once it has left a state by a person's act. */
export const memoryAfter = (from: DeliveryState, { cameFrom }: Memory): RememberedState | null =>
  isRemembered(from) ? from : cameFrom

/** Acts by which a state can be reached, for the page in docs/. */
export const waysTo = (to: DeliveryState): readonly Act[] =>
  (Object.keys(transitions) as Act[]).filter(act => transitions[act].to.includes(to))

/** A delivery as an act of a person finds it. */
export interface Moving extends Memory {
  readonly id: number
  readonly state: DeliveryState
}

/** Where one delivery goes, and what it remembers then. */
export interface PlannedMove extends Memory {
  readonly id: number
  readonly from: DeliveryState
  readonly to: DeliveryState
}

/**
 * Where an act of a person takes deliveries, or the first that it can't be done to: nothing is done by halves. 'leave'
 * takes each nowhere.
 */
export function planMoves<D extends Moving>(
  act: 'release' | 'discard' | 'restore' | 'leave',
  deliveries: readonly D[],
): Parsed<readonly PlannedMove[], { readonly code: 'sealed' | 'wrong-state'; readonly delivery: D }> {
  const moves: PlannedMove[] = []
  for (const delivery of deliveries) {
    const { id, state, cameFrom } = delivery
    if (act === 'leave') {
      moves.push({ id, from: state, to: state, cameFrom })
      continue
    }
    if (act === 'release' && state === 'sealed') return no({ code: 'sealed', delivery })
    if (!isLegal(act, state)) return no({ code: 'wrong-state', delivery })
    moves.push({
      id,
      from: state,
      to: placeAfter(act, { cameFrom }),
      cameFrom: memoryAfter(state, { cameFrom }),
    })
  }
  return yes(moves)
}
