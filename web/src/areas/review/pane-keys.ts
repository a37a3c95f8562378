import { useMemo } from 'react'
import { useKeys } from '../../app/keys.ts'
import { rowsOf, type Item } from './review-list.tsx'

const panes = ['list', 'message', 'reasons', 'ruling'] as const
type Pane = (typeof panes)[number]

const paneOf = (name: Pane) => document.querySelector<HTMLElement>(`[data-pane="${name}"]`)

/** On to the next pane, round and round; from outside them to the first. */
function focusNext(by: 1 | -1): void {
  const at = panes.findIndex(name => paneOf(name)?.contains(document.activeElement))
  const from = at < 0 ? (by > 0 ? -1 : 0) : at
  paneOf(panes[(from + by + panes.length) % panes.length] ?? 'list')?.focus()
}

/** How much of a page reading on moves: the last lines of before stay in sight. */
const share = 0.85

/** Reads on in the message; false when there is no more of it. */
function readOn(by: 1 | -1): boolean {
  const pane = paneOf('message')
  if (!pane) return false
  const before = pane.scrollTop
  pane.scrollBy({ top: by * pane.clientHeight * share })
  return Math.abs(pane.scrollTop - before) > 1
}

/** The list and the message by keyboard: up and down, read on, from pane to pane. */
export function usePaneKeys(items: readonly Item[], openId: number | null, open: (id: number) => void): void {
  useKeys(
    useMemo(() => {
      const shown = rowsOf(items)
      const at = shown.findIndex(row => row.id === openId)
      const go = (by: number) => () => {
        const next = shown[Math.min(shown.length - 1, Math.max(0, at + by))]
        if (next) open(next.id)
      }
      const to = (top: number) => () => paneOf('message')?.scrollTo({ top })
      return {
        j: go(1),
        k: go(-1),
        ArrowDown: go(1),
        ArrowUp: go(-1),
        ' ': () => readOn(1) || go(1)(),
        'Shift ': () => readOn(-1) || go(-1)(),
        PageDown: () => void readOn(1),
        PageUp: () => void readOn(-1),
        Home: to(0),
        End: to(Number.MAX_SAFE_INTEGER),
        F6: () => focusNext(1),
        'Shift F6': () => focusNext(-1),
      }
    }, [items, openId, open]),
  )
}
