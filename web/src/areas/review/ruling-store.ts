import { maySteer } from '../../app/session.ts'
import { create } from 'zustand'
import {
  hasArrived,
  mayApplyByKey,
  personalActs,
  startingAct,
  type DeliveryState,
  type ReviewRow,
  type RulingSentence,
  type SelectionSummary,
  type Session,
} from '@pendro/contract'

/** Whom a ruling is about: the open delivery, all of its cluster, or what is marked. */
type Scope = 'one' | 'cluster'

interface RulingStore {
  readonly sentence: RulingSentence
  readonly scope: Scope
  readonly marks: ReadonlyMap<number, ReviewRow>
  /** Everything the filter showed at one moment; marks are none then. */
  readonly selection: SelectionSummary | null
  /** A ruling on such a selection that is under way, or its undo. */
  readonly running: { readonly selection: number; readonly message: RulingSentence['message'] } | null
  /** The staffer has said that marks stay when the list shows something else. */
  readonly keepsMarks: boolean
  /** The last ruling applied here, for undo. */
  readonly lastRuling: number | null
  /** Somebody else ruled on the open message; '' for nobody. The sentence is empty then. */
  readonly interruptedBy: string
  /** What has happened since the last act; `null` before the first. `shownAt`: epoch ms. */
  readonly since: { readonly touched: boolean; readonly otherKey: boolean; readonly shownAt: number } | null
  readonly change: (part: Partial<RulingSentence>) => void
  readonly setScope: (scope: Scope) => void
  readonly mark: (rows: readonly ReviewRow[], marked: boolean) => void
  readonly keepMarks: (keep: boolean) => void
  readonly selectAll: (selection: SelectionSummary | null) => void
  readonly follow: (running: RulingStore['running']) => void
  /** The list shows something else: what was marked and is not kept is taken off; what that was. */
  readonly dropMarks: () => readonly ReviewRow[]
  /** Another message is open. */
  readonly begin: (row: Pick<ReviewRow, 'state' | 'points'>, now: number) => void
  /** Somebody else has ruled on the open message: what the sentence says is chosen anew. */
  readonly interrupt: (by: string, now: number) => void
  /** A key was pressed, whatever it did. */
  readonly pressed: (key: string) => void
  readonly applied: (rulingId: number | null) => void
}

/** What "for everybody" is to whoever is signed in: their own to make, or to be asked for. */
export const forAll = (session: Pick<Session, 'staffer'>): 'everyone' | 'request' =>
  maySteer(session) ? 'everyone' : 'request'

/** A list for so many colleagues is made one for everybody: each of the others could be changed and ended by itself. */
const mostPersonal = 1

/** What a sentence is about: some deliveries, or everything that was shown. */
export type About = readonly Pick<ReviewRow, 'mailboxId'>[] | SelectionSummary

const isSelection = (about: About): about is SelectionSummary => 'deliveries' in about

const colleaguesOf = (about: About): number =>
  isSelection(about) ? about.colleagues : new Set(about.map(({ mailboxId }) => mailboxId)).size

/** The sender's standing, and for whom: one entry for everybody where many colleagues got the same. */
export function withSender(
  sender: RulingSentence['sender'],
  about: About,
  session: Pick<Session, 'staffer'>,
): Partial<RulingSentence> {
  const colleagues = colleaguesOf(about)
  return { sender, for: sender !== 'as-is' && colleagues > mostPersonal ? forAll(session) : 'colleague' }
}

/** A sentence that does nothing. */
const idle: RulingSentence = {
  message: 'leave',
  learn: 'nothing',
  sender: 'as-is',
  width: 'address',
  for: 'colleague',
  withoutAuthentication: false,
  reason: '',
}

/** Whether a sentence would do nothing at all. */
export const isIdle = ({ message, sender, learn }: RulingSentence): boolean =>
  message === 'leave' && sender === 'as-is' && learn === 'nothing'

/** What a sentence says before anybody has touched it. */
export function startingSentence({ state, points }: Pick<ReviewRow, 'state' | 'points'>): RulingSentence {
  const message = startingAct(state, points)
  return { ...idle, message, learn: message === 'release' ? 'wanted' : 'nothing' }
}

/** What may be done to it, the likeliest first; leaving it is always one of them. */
export function messageChoices(state: DeliveryState): readonly RulingSentence['message'][] {
  const acts = personalActs(state)
  return hasArrived(state) ? ['leave', ...acts] : [...acts.slice(0, 1), 'leave', ...acts.slice(1)]
}

/** The same for everything that was shown: what can be done to some of it. */
export const choicesForAll = ({ can }: SelectionSummary): readonly RulingSentence['message'][] => [
  'leave',
  ...(['release', 'discard', 'restore'] as const).filter(act => can[act] > 0),
]

/** What is learned follows what is done, until somebody says otherwise in the same sentence. */
const learnedBy = { release: 'wanted', discard: 'junk', leave: 'nothing', restore: 'nothing' } as const

function withConsequences(sentence: RulingSentence, part: Partial<RulingSentence>): RulingSentence {
  const next = { ...sentence, ...part }
  if (part.message !== undefined && part.learn === undefined)
    return { ...next, learn: learnedBy[part.message] }
  if (part.width !== undefined) return { ...next, pattern: undefined }
  return next
}

export const useRuling = create<RulingStore>((set, get) => ({
  sentence: idle,
  scope: 'one',
  marks: new Map(),
  selection: null,
  running: null,
  keepsMarks: false,
  lastRuling: null,
  interruptedBy: '',
  since: null,
  change: part =>
    set(({ sentence, since }) => ({
      sentence: withConsequences(sentence, part),
      since: touched(since),
      interruptedBy: '',
    })),
  setScope: scope => set(({ since }) => ({ scope, since: touched(since) })),
  mark: (rows, marked) =>
    set(({ marks }) => {
      const next = new Map(marks)
      for (const row of rows) {
        if (marked) next.set(row.id, row)
        else next.delete(row.id)
      }
      return { marks: next, selection: null }
    }),
  // What is done with so much is chosen anew: the sentence of the open message is not meant for it.
  selectAll: selection =>
    set(({ sentence }) => ({
      selection,
      marks: new Map(),
      sentence: selection === null ? sentence : idle,
      interruptedBy: '',
    })),
  follow: running => set({ running }),
  keepMarks: keep => set({ keepsMarks: keep }),
  dropMarks: () => {
    const { marks, keepsMarks } = get()
    set({ selection: null })
    if (keepsMarks || marks.size === 0) return []
    set({ marks: new Map() })
    return [...marks.values()]
  },
  // A sentence composed for one message must not be applied to the next by a stray Enter.
  begin: (row, now) =>
    set(({ since, selection, sentence }) => ({
      // Reading through what is selected changes nothing of what is to be done with all of it.
      sentence: selection === null ? startingSentence(row) : sentence,
      scope: 'one',
      interruptedBy: '',
      since: since && { ...since, touched: false, shownAt: now },
    })),
  interrupt: (by, now) =>
    set({
      sentence: idle,
      scope: 'one',
      interruptedBy: by,
      since: { touched: false, otherKey: false, shownAt: now },
    }),
  pressed: key =>
    set(({ since }) =>
      since === null || since.otherKey || key === 'Enter' ? {} : { since: { ...since, otherKey: true } },
    ),
  applied: rulingId =>
    set(({ since, selection, sentence }) => ({
      // What was said of all of it is not said of the one that is open.
      sentence: selection === null ? sentence : idle,
      lastRuling: rulingId,
      marks: new Map(),
      selection: null,
      keepsMarks: false,
      since: { touched: false, otherKey: false, shownAt: since?.shownAt ?? 0 },
    })),
}))

const touched = (since: RulingStore['since']) => since && { ...since, touched: true }

/** Whether the sentence may be applied now: never a message that nobody can have seen. */
export function mayApply({ since }: Pick<RulingStore, 'since'>, now: number): boolean {
  return mayApplyByKey(since && { ...since, shownFor: now - since.shownAt })
}

/** A press of the button is meant, but for the second one of a double press. */
export function mayPress({ since }: Pick<RulingStore, 'since'>, now: number): boolean {
  return mayApplyByKey(since && { ...since, otherKey: true, shownFor: now - since.shownAt })
}
