import { useEffect } from 'react'
import { keepPreviousData, useInfiniteQuery, useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import {
  changeDefaults,
  previewDefaults,
  readDefaults,
  undoMailboxChange,
  type DefaultsChange,
} from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { useAct } from '../../app/use-act.ts'
import { joinedEffect } from './joined-effect.ts'

export function useDefaults() {
  return useQuery({
    queryKey: queryKeyOf('mailbox', 'defaults'),
    queryFn: ({ signal }) => call(readDefaults, { signal }),
  })
}

/**
 * What a change of the defaults would come to; `null`: nothing to ask. Limits are tried part by part, and what is known so far
 * is there at once.
 */
export function useEffectOfDefaults(change: DefaultsChange | null) {
  const { data, error, hasNextPage, isFetching, fetchNextPage } = useInfiniteQuery({
    queryKey: queryKeyOf('mailbox', 'defaults', 'effect', change),
    enabled: change !== null,
    initialPageParam: null as number | null,
    queryFn: ({ pageParam, signal }) =>
      change
        ? call(previewDefaults, { body: { change, before: pageParam }, signal })
        : Promise.reject(new Error('nothing to ask')),
    getNextPageParam: page => page.replay?.part?.next ?? undefined,
    placeholderData: keepPreviousData,
    gcTime: 10_000,
  })
  useEffect(() => {
    if (hasNextPage && !isFetching) void fetchNextPage()
  }, [hasNextPage, isFetching, fetchNextPage])
  return { data: data && joinedEffect(data.pages), error }
}

/** Changes one of them, with its undo at the foot of the screen. */
export function useChangeDefaults() {
  const { t } = useTranslation()
  const undoing = useAct({
    send: (id: number) => call(undoMailboxChange, { params: { id } }),
    notice: () => ({ text: t('change.undone') }),
    makes: 'mailbox-changed',
  })
  return useAct({
    send: ({ change, reason }: { change: DefaultsChange; reason: string }) =>
      call(changeDefaults, { body: { change, reason, token: crypto.randomUUID() } }),
    notice: ({ change }) => ({
      text: t('mailboxes.defaults.changed'),
      action: { label: t('change.undo'), run: () => undoing.mutate(change) },
    }),
    say: error =>
      problemOf(error).code === 'MAILBOX_CHANGED' ? t('mailboxes.meanwhile') : problemOf(error).text,
    makes: 'mailbox-changed',
  })
}
