import { create } from 'zustand'

interface Notice {
  readonly id: number
  readonly tone: 'done' | 'problem'
  readonly text: string
  readonly action?: { readonly label: string; readonly run: () => void }
}

interface Notices {
  readonly all: readonly Notice[]
  /** Gives its number. */
  readonly show: (notice: NewNotice) => number
  /** Says something else of the same; nothing where it has gone meanwhile. */
  readonly amend: (id: number, text: string) => void
  readonly close: (id: number) => void
}

export type NewNotice = Omit<Notice, 'id'>

let last = 0

/** Short messages at the foot; the newest replaces the one before. */
export const useNotices = create<Notices>(set => ({
  all: [],
  show: notice => {
    last += 1
    set({ all: [{ ...notice, id: last }] })
    return last
  },
  amend: (id, text) =>
    set(({ all }) => ({ all: all.map(notice => (notice.id === id ? { ...notice, text } : notice)) })),
  close: id => set(({ all }) => ({ all: all.filter(notice => notice.id !== id) })),
}))
