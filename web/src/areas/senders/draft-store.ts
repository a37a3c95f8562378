import { create } from 'zustand'
import type { EntryDraft, EntryRowShape, RegisterChangeShape } from '@pendro/contract'
import { isoDayIn, useZone } from '../../app/times.ts'

/** What is being composed at the foot. */
export type Act =
  | { readonly kind: 'add' }
  | { readonly kind: 'change' | 'restore'; readonly of: EntryRowShape }
  | { readonly kind: 'end'; readonly entries: readonly EntryRowShape[] }

interface DraftStore {
  readonly act: Act | null
  readonly draft: EntryDraft
  readonly reason: string
  readonly marks: ReadonlyMap<number, EntryRowShape>
  /** The last act applied here, for undo. */
  readonly lastRuling: number | null
  readonly begin: (act: Act, draft?: Partial<EntryDraft>) => void
  readonly write: (part: Partial<EntryDraft>) => void
  readonly because: (reason: string) => void
  readonly mark: (row: EntryRowShape, marked: boolean) => void
  readonly unmark: () => void
  readonly cancel: () => void
  readonly applied: (rulingId: number | null) => void
}

const emptyDraft: EntryDraft = {
  pattern: '',
  standing: 'safe',
  mailboxId: null,
  withoutAuthentication: false,
  until: null,
}

/** The draft that says what an entry says; its last day is the day before the stored moment. */
function draftOf(row: EntryRowShape): EntryDraft {
  return {
    pattern: row.patternText,
    standing: row.standing,
    mailboxId: row.mailboxId,
    binding: row.binding,
    withoutAuthentication: row.withoutAuthentication,
    until: row.until === null ? null : isoDayIn(new Date(Date.parse(row.until) - 1), useZone.getState().zone),
  }
}

export const useDraft = create<DraftStore>(set => ({
  act: null,
  draft: emptyDraft,
  reason: '',
  marks: new Map(),
  lastRuling: null,
  begin: (act, draft = {}) =>
    set({
      act,
      reason: '',
      draft: { ...('of' in act ? draftOf(act.of) : emptyDraft), ...draft },
    }),
  write: part =>
    set(({ draft }) => {
      const next = { ...draft, ...part }
      // What binds by default follows from whose it is and what it says, until somebody says otherwise.
      return {
        draft:
          (part.standing !== undefined || part.mailboxId !== undefined) && part.binding === undefined
            ? { ...next, binding: undefined }
            : next,
      }
    }),
  because: reason => set({ reason }),
  mark: (row, marked) =>
    set(({ marks }) => {
      const next = new Map(marks)
      if (marked) next.set(row.id, row)
      else next.delete(row.id)
      return { marks: next }
    }),
  unmark: () => set({ marks: new Map() }),
  cancel: () => set({ act: null, reason: '' }),
  applied: rulingId => set({ act: null, reason: '', marks: new Map(), lastRuling: rulingId }),
}))

/** So many senders can be added in one act; more is a list to be brought in. */
export const mostAtOnce = 500

/** The senders of a draft, one a line. */
export const patternsOf = (pattern: string): readonly string[] =>
  pattern
    .split('\n')
    .map(line => line.trim())
    .filter(line => line !== '')

/** What the act asks the server for; `null` while there is nothing to ask about. */
export function wantedChange(act: Act, draft: EntryDraft): RegisterChangeShape | null {
  if (act.kind === 'end') return { end: act.entries.map(({ id }) => id) }
  const [first, ...others] = patternsOf(draft.pattern)
  if (first === undefined || draft.mailboxId === 0 || others.length >= mostAtOnce) return null
  const before =
    act.kind === 'change' ? { replaces: act.of.id } : act.kind === 'restore' ? { restores: act.of.id } : {}
  // What is put in place of an entry is the first; the others are new.
  return {
    add: [{ ...draft, pattern: first, ...before }, ...others.map(pattern => ({ ...draft, pattern }))],
  }
}
