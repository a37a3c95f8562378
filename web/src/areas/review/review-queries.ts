import { queryKeyOf } from '../../app/query-keys.ts'
import { useCallback, useMemo, useRef, useState } from 'react'
import {
  keepPreviousData,
  useInfiniteQuery,
  useQuery,
  useQueryClient,
  type InfiniteData,
  type QueryClient,
} from '@tanstack/react-query'
import {
  deliverySheet,
  reviewCluster,
  reviewCounts,
  reviewList,
  type DeliveryState,
  type LiveEvent,
  type ReviewRow,
  isKeptBack,
} from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useLiveEvents } from '../../app/live.ts'
import type { Filter } from './filter.ts'

type Page = { rows: ReviewRow[]; next: string | null }
type List = InfiniteData<Page, string | undefined>

const queryOf = ({ order: _, ...filter }: Filter) => filter

export function useReviewList(filter: Filter) {
  return useInfiniteQuery({
    queryKey: queryKeyOf('review', filter),
    initialPageParam: undefined as string | undefined,
    queryFn: ({ pageParam, signal }) =>
      call(reviewList, { query: { ...queryOf(filter), order: filter.order, after: pageParam }, signal }),
    getNextPageParam: page => page.next ?? undefined,
    placeholderData: keepPreviousData,
    // What is shown stays where it is; news are announced and shown when asked for.
    staleTime: Infinity,
    refetchOnWindowFocus: false,
  })
}

export function useReviewCounts(filter: Filter) {
  return useQuery({
    queryKey: queryKeyOf('review-counts', queryOf(filter)),
    queryFn: ({ signal }) => call(reviewCounts, { query: queryOf(filter), signal }),
    placeholderData: keepPreviousData,
  })
}

export const clusterQuery = (key: string, filter: Filter) => ({
  queryKey: queryKeyOf('review-cluster', key, queryOf(filter)),
  queryFn: ({ signal }: { signal?: AbortSignal }) =>
    call(reviewCluster, { params: { key }, query: queryOf(filter), signal }),
})

export function useSheet(id: number | null) {
  return useQuery({
    queryKey: queryKeyOf('sheet', id),
    enabled: id !== null,
    queryFn: ({ signal }) => call(deliverySheet, { params: { id: id ?? 0 }, signal }),
  })
}

/** Puts a new state on rows that are on screen; they stay in their places. */
export function patchRows(client: QueryClient, states: ReadonlyMap<number, DeliveryState>): void {
  const patch = (row: ReviewRow): ReviewRow => {
    const state = states.get(row.id)
    return state === undefined ? row : { ...row, state, waiting: state === 'deferred' }
  }
  client.setQueriesData<List>(
    { queryKey: queryKeyOf('review') },
    list => list && { ...list, pages: list.pages.map(page => ({ ...page, rows: page.rows.map(patch) })) },
  )
  client.setQueriesData<{ rows: ReviewRow[]; cut: boolean }>(
    { queryKey: queryKeyOf('review-cluster') },
    found => found && { ...found, rows: found.rows.map(patch) },
  )
}

/** Takes rows out of the lists on screen: whoever ruled on them is done with them. */
export function dropRows(client: QueryClient, ids: ReadonlySet<number>): void {
  client.setQueriesData<List>(
    { queryKey: queryKeyOf('review') },
    list =>
      list && {
        ...list,
        pages: list.pages.map(page => ({ ...page, rows: page.rows.filter(({ id }) => !ids.has(id)) })),
      },
  )
}

/** Follows the live stream: counts new arrivals, updates rows and the open sheet in place. */
export function useReviewLive(openId: number | null): {
  arrived: number
  showArrived: () => void
  ruledBy: ReadonlyMap<number, string>
} {
  const client = useQueryClient()
  const [arrived, setArrived] = useState(0)
  const [ruledBy, setRuledBy] = useState<ReadonlyMap<number, string>>(new Map())
  const timer = useRef<ReturnType<typeof setTimeout>>(undefined)
  const open = useRef(openId)
  open.current = openId

  const refreshCounts = useCallback(() => {
    clearTimeout(timer.current)
    timer.current = setTimeout(
      () => void client.invalidateQueries({ queryKey: queryKeyOf('review-counts') }),
      400,
    )
  }, [client])

  useLiveEvents(
    useCallback(
      ({ kind, deliveryId, state, by }: LiveEvent) => {
        // Very many were ruled on, or went because their days were over: the open message may be one of them.
        if ((kind === 'ruled' || kind === 'changed') && deliveryId === null) {
          refreshCounts()
          void client.invalidateQueries({ queryKey: queryKeyOf('sheet', open.current) })
        }
        if (deliveryId === null || state === null) return
        refreshCounts()
        if (kind === 'came-in' && state !== null && isKeptBack(state)) setArrived(n => n + 1)
        patchRows(client, new Map([[deliveryId, state]]))
        if (kind === 'ruled' && by !== '') setRuledBy(known => new Map(known).set(deliveryId, by))
        if (deliveryId === open.current)
          void client.invalidateQueries({ queryKey: queryKeyOf('sheet', deliveryId) })
      },
      [client, refreshCounts],
    ),
  )
  const showArrived = useCallback(() => {
    setArrived(0)
    void client.resetQueries({ queryKey: queryKeyOf('review') })
  }, [client])
  return useMemo(() => ({ arrived, showArrived, ruledBy }), [arrived, showArrived, ruledBy])
}
