import { useCallback, useMemo, useRef } from 'react'
import { useQueryClient } from '@tanstack/react-query'
import { selectShown, type ReviewRow } from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { useKeys } from '../../app/keys.ts'
import { useNotices } from '../../app/notices.ts'
import { mayWrite, useSession } from '../../app/session.ts'
import type { Filter } from './filter.ts'
import { rowsOf, type Item } from './review-list.tsx'
import { clusterQuery } from './review-queries.ts'
import { useRuling } from './ruling-store.ts'

/** Marks a row, or with `range` all from the one marked before to it. */
export type Mark = (row: ReviewRow, member: boolean, range?: boolean) => void

type RowItem = Item & { readonly kind: 'row' }
const isRow = (item: Item): item is RowItem => item.kind === 'row'

/** The rows from one to the other, both with them; the last one alone when the first is not shown any more. */
export function between(items: readonly Item[], from: number | null, to: number): readonly RowItem[] {
  const rows = items.filter(isRow)
  const end = rows.findIndex(({ row }) => row.id === to)
  const start = rows.findIndex(({ row }) => row.id === from)
  const [low, high] = start < 0 ? [end, end] : [Math.min(start, end), Math.max(start, end)]
  return end < 0 ? [] : rows.slice(low, high + 1)
}

/** Marking: one row, a range, or everything that the filter shows; a closed cluster is marked whole. */
export function useMarking(filter: Filter, items: readonly Item[]): { onMark: Mark; markAll: () => void } {
  const client = useQueryClient()
  const show = useNotices(state => state.show)
  const { mark, selectAll } = useRuling()
  const anchor = useRef<number | null>(null)
  const refused = useCallback(
    (error: unknown) => show({ tone: 'problem', text: problemOf(error).text }),
    [show],
  )
  const onMark = useCallback<Mark>(
    (row, member, range = false) => {
      const { marks, selection } = useRuling.getState()
      // Of everything, none can be taken out alone: it is let go of, and marked anew.
      if (selection !== null) return selectAll(null)
      const marked = range || !marks.has(row.id)
      const item: RowItem = { kind: 'row', row, member }
      const some = range ? between(items, anchor.current, row.id) : [item]
      anchor.current = row.id
      Promise.all(
        some.map(async one =>
          one.row.clusterDeliveries === 1 || one.member
            ? [one.row]
            : (await client.fetchQuery(clusterQuery(one.row.clusterKey, filter))).rows,
        ),
      )
        .then(found => mark(found.flat(), marked))
        .catch(refused)
    },
    [client, filter, items, mark, refused, selectAll],
  )
  const markAll = useCallback(() => {
    if (useRuling.getState().selection !== null) return selectAll(null)
    const { order: _, ...shown } = filter
    call(selectShown, { body: shown }).then(selectAll).catch(refused)
  }, [filter, refused, selectAll])
  return { onMark, markAll }
}

interface MarkKeys {
  readonly items: readonly Item[]
  readonly openId: number | null
  readonly open: (id: number) => void
  readonly onMark: Mark
  readonly markAll: () => void
}

/** Shift with the arrows marks on; Ctrl+A marks everything the filter shows; Escape lets go of all marks. */
export function useMarkKeys({ items, openId, open, onMark, markAll }: MarkKeys): void {
  const session = useSession()
  const { marks, mark, selection, selectAll } = useRuling()
  useKeys(
    useMemo(() => {
      const rows = rowsOf(items)
      const at = rows.findIndex(({ id }) => id === openId)
      const on = (by: 1 | -1) => () => {
        const [here, next] = [items.filter(isRow)[at], items.filter(isRow)[at + by]]
        if (!here || !next) return
        if (!useRuling.getState().marks.has(here.row.id)) onMark(here.row, here.member)
        onMark(next.row, next.member, true)
        open(next.row.id)
      }
      return {
        'Shift ArrowDown': on(1),
        'Shift ArrowUp': on(-1),
        'Ctrl a': markAll,
        ...(selection !== null || marks.size > 0
          ? { Escape: () => (selection === null ? mark([...marks.values()], false) : selectAll(null)) }
          : {}),
      }
    }, [items, openId, open, onMark, markAll, marks, mark, selection, selectAll]),
    mayWrite(session),
  )
}
