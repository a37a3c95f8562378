import { queryKeyOf, makeStale } from '../../app/query-keys.ts'
import { useCallback, useEffect, useRef } from 'react'
import { keepPreviousData, useInfiniteQuery, useQuery, useQueryClient } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import {
  entrySheet,
  readUpkeep,
  senderCounts,
  senderEntries,
  undoRuling,
  type AppliedChange,
} from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { useLiveEvents } from '../../app/live.ts'
import { useNotices } from '../../app/notices.ts'
import { useDraft } from './draft-store.ts'
import type { Filter } from './filter.ts'
import { useAct } from '../../app/use-act.ts'

export function useEntryRows(filter: Filter) {
  return useInfiniteQuery({
    queryKey: queryKeyOf('senders', 'rows', filter),
    initialPageParam: undefined as string | undefined,
    queryFn: ({ pageParam, signal }) =>
      call(senderEntries, { query: { ...filter, after: pageParam, limit: 100 }, signal }),
    getNextPageParam: page => page.next ?? undefined,
    placeholderData: keepPreviousData,
  })
}

export function useSenderCounts(filter: Filter) {
  return useQuery({
    queryKey: queryKeyOf('senders', 'counts', filter),
    queryFn: ({ signal }) => {
      const { order: _order, ...query } = filter
      return call(senderCounts, { query, signal })
    },
    placeholderData: keepPreviousData,
  })
}

export function useEntrySheet(id: number | null) {
  return useQuery({
    queryKey: queryKeyOf('senders', 'entry', id),
    enabled: id !== null,
    queryFn: ({ signal }) => call(entrySheet, { params: { id: id ?? 0 }, signal }),
  })
}

export function useUpkeep() {
  return useQuery({
    queryKey: queryKeyOf('senders', 'upkeep'),
    queryFn: ({ signal }) => call(readUpkeep, { signal }),
    placeholderData: keepPreviousData,
    // While it is being looked over the numbers of before stay on screen.
    refetchInterval: query => (query.state.data?.looking ? 1500 : false),
  })
}

/** Others change the lists too, and mail comes in: what is on screen follows, at most once in two seconds. */
export function useSendersLive(): void {
  const client = useQueryClient()
  const timer = useRef<ReturnType<typeof setTimeout> | null>(null)
  useEffect(() => () => void (timer.current && clearTimeout(timer.current)), [])
  useLiveEvents(
    useCallback(
      ({ kind }) => {
        if (kind !== 'senders' || timer.current) return
        timer.current = setTimeout(() => {
          timer.current = null
          void client.invalidateQueries({ queryKey: queryKeyOf('senders') })
        }, 400)
      },
      [client],
    ),
  )
}

/** Applies an act of the lists: the answer in words, with its undo. */
export function useListActs() {
  const client = useQueryClient()
  const { t } = useTranslation()
  const show = useNotices(state => state.show)
  const applied = useDraft(state => state.applied)

  const refresh = useCallback(() => {
    void makeStale(client, 'list-changed')
  }, [client])

  const undo = useCallback(
    async (rulingId: number) => {
      try {
        await call(undoRuling, { params: { id: rulingId } })
        applied(null)
        refresh()
        show({ tone: 'done', text: t('ruling.undone') })
      } catch (error) {
        show({ tone: 'problem', text: problemOf(error).text })
      }
    },
    [applied, refresh, show, t],
  )

  const told = useCallback(
    (change: AppliedChange) => {
      applied(change.rulingId)
      refresh()
      const parts = [
        ...(change.added.length > 3
          ? [t('senders.added', { count: change.added.length })]
          : change.added.map(({ pattern, standing }) => t(`ruling.now.${standing}`, { pattern }))),
        ...(change.ended.length > 0 ? [t('senders.ended', { count: change.ended.length })] : []),
      ]
      show({
        tone: 'done',
        text: parts.join(' '),
        action: { label: t('ruling.undo'), run: () => void undo(change.rulingId) },
      })
    },
    [applied, refresh, show, t, undo],
  )

  const acting = useAct({
    send: (act: () => Promise<AppliedChange>) => act(),
    makes: 'list-changed',
    onDone: told,
  })
  return { busy: acting.isPending, run: acting.mutate, undo, refresh }
}
