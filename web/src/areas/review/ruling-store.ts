import { create } from 'zustand'
import {
  hasArrived,
  personalActs,
  type DeliveryState,
  type ReviewRow,
  type RulingSentence,
} from '@pendro/contract'

/** Whom a ruling is about: the open delivery, all of its cluster, or what is marked. */
type Scope = 'one' | 'cluster'

interface RulingStore {
  readonly sentence: RulingSentence
  readonly scope: Scope
  readonly marks: ReadonlyMap<number, ReviewRow>
  /** The last ruling applied here, for undo. */
  readonly lastRuling: number | null
  readonly change: (part: Partial<RulingSentence>) => void
  readonly setScope: (scope: Scope) => void
  readonly mark: (rows: readonly ReviewRow[], marked: boolean) => void
  readonly begin: (state: DeliveryState) => void
  readonly applied: (rulingId: number | null) => void
}

/** What a sentence says before anybody has touched it. */
export function startingSentence(state: DeliveryState): RulingSentence {
  // What the colleague has already can be had in the inbox, too; nobody starts there.
  const message = hasArrived(state) ? 'leave' : (personalActs(state)[0] ?? 'leave')
  return {
    message,
    learn: message === 'release' ? 'wanted' : 'nothing',
    sender: 'as-is',
    width: 'address',
    for: 'colleague',
    withoutAuthentication: false,
    reason: '',
  }
}

/** What may be done to it, the likeliest first; leaving it is always one of them. */
export function messageChoices(state: DeliveryState): readonly RulingSentence['message'][] {
  const acts = personalActs(state)
  return hasArrived(state) ? ['leave', ...acts] : [...acts.slice(0, 1), 'leave', ...acts.slice(1)]
}

/** What is learned follows what is done, until somebody says otherwise in the same sentence. */
const learnedBy = { release: 'wanted', discard: 'junk', leave: 'nothing', restore: 'nothing' } as const

function withConsequences(sentence: RulingSentence, part: Partial<RulingSentence>): RulingSentence {
  const next = { ...sentence, ...part }
  if (part.message !== undefined && part.learn === undefined)
    return { ...next, learn: learnedBy[part.message] }
  if (part.width !== undefined) return { ...next, pattern: undefined }
  return next
}

export const useRuling = create<RulingStore>(set => ({
  sentence: startingSentence('quarantined'),
  scope: 'one',
  marks: new Map(),
  lastRuling: null,
  change: part => set(({ sentence }) => ({ sentence: withConsequences(sentence, part) })),
  setScope: scope => set({ scope }),
  mark: (rows, marked) =>
    set(({ marks }) => {
      const next = new Map(marks)
      for (const row of rows) {
        if (marked) next.set(row.id, row)
        else next.delete(row.id)
      }
      return { marks: next }
    }),
  // A sentence composed for one message must not be applied to the next by a stray Enter.
  begin: state => set({ sentence: startingSentence(state), scope: 'one' }),
  applied: rulingId => set({ lastRuling: rulingId, marks: new Map() }),
}))
