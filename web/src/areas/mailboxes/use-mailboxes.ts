import { useCallback } from 'react'
import { keepPreviousData, useInfiniteQuery, useQuery, useQueryClient } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import {
  changeMailbox,
  listMailboxes,
  previewMailboxChange,
  readMailbox,
  undoMailboxChange,
  type LiveEvent,
  type MailboxChange,
  type MailboxSheet,
} from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { useLiveEvents } from '../../app/live.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { useAct } from '../../app/use-act.ts'
import type { Filter } from './filter.ts'

export function useMailboxTable(filter: Filter) {
  return useInfiniteQuery({
    queryKey: queryKeyOf('mailbox-table', filter),
    initialPageParam: undefined as string | undefined,
    queryFn: ({ pageParam, signal }) =>
      call(listMailboxes, { query: { ...filter, after: pageParam, limit: 100 }, signal }),
    getNextPageParam: page => page.next ?? undefined,
    placeholderData: keepPreviousData,
  })
}

export function useMailbox(id: number) {
  return useQuery({
    queryKey: queryKeyOf('mailbox', id),
    queryFn: ({ signal }) => call(readMailbox, { params: { id }, signal }),
  })
}

/** Somebody elsewhere has changed a mailbox: what is shown of them is read anew. */
export function useMailboxesLive(): void {
  const client = useQueryClient()
  useLiveEvents(
    useCallback(
      ({ kind }: LiveEvent) => {
        if (kind !== 'mailbox' && kind !== 'digest') return
        void client.invalidateQueries({ queryKey: queryKeyOf('mailbox') })
        if (kind !== 'mailbox') return
        for (const subject of ['mailbox-table', 'in-store'] as const)
          void client.invalidateQueries({ queryKey: queryKeyOf(subject) })
      },
      [client],
    ),
  )
}

/** What a change would come to; asked while it is still thought about. `null`: nothing to ask. */
export function useEffectOfChange(mailboxId: number, change: MailboxChange | null) {
  return useQuery({
    queryKey: queryKeyOf('mailbox', mailboxId, 'effect', change),
    enabled: change !== null,
    queryFn: ({ signal }) =>
      change
        ? call(previewMailboxChange, { params: { id: mailboxId }, body: { change }, signal })
        : Promise.resolve(null),
    placeholderData: keepPreviousData,
    // A limit that is dragged on makes a new question each time; those of before are of no use.
    gcTime: 10_000,
  })
}

interface Changing {
  readonly change: MailboxChange
  readonly reason: string
}

/** Changes one thing about a mailbox, with its undo at the foot of the screen. */
export function useChange({ mailbox }: Pick<MailboxSheet, 'mailbox'>, onDone: () => void) {
  const { t } = useTranslation()
  const undoing = useAct({
    send: (id: number) => call(undoMailboxChange, { params: { id } }),
    notice: () => ({ text: t('change.undone') }),
    makes: 'mailbox-changed',
  })
  return useAct({
    send: ({ change, reason }: Changing) =>
      call(changeMailbox, {
        params: { id: mailbox.id },
        body: { change, reason, token: crypto.randomUUID() },
      }),
    notice: ({ change }) => ({
      text: t('mailboxes.changed', { name: mailbox.name }),
      action: { label: t('change.undo'), run: () => undoing.mutate(change) },
    }),
    say: error =>
      problemOf(error).code === 'MAILBOX_CHANGED' ? t('mailboxes.meanwhile') : problemOf(error).text,
    makes: 'mailbox-changed',
    onDone,
  })
}
