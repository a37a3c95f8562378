import { keepPreviousData, useQuery } from '@tanstack/react-query'
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

export function useDefaults() {
  return useQuery({
    queryKey: queryKeyOf('mailbox', 'defaults'),
    queryFn: ({ signal }) => call(readDefaults, { signal }),
  })
}

/** What a change of the defaults would come to; `null`: nothing to ask. */
export function useEffectOfDefaults(change: DefaultsChange | null) {
  return useQuery({
    queryKey: queryKeyOf('mailbox', 'defaults', 'effect', change),
    enabled: change !== null,
    queryFn: ({ signal }) =>
      change ? call(previewDefaults, { body: { change }, signal }) : Promise.resolve(null),
    placeholderData: keepPreviousData,
    gcTime: 10_000,
  })
}

/** Changes one of them, with its undo at the foot of the screen. */
export function useChangeDefaults() {
  const { t } = useTranslation()
  const undoing = useAct({
    send: (id: number) => call(undoMailboxChange, { params: { id } }),
    notice: () => ({ text: t('mailboxes.undone') }),
    makes: 'mailbox-changed',
  })
  return useAct({
    send: ({ change, reason }: { change: DefaultsChange; reason: string }) =>
      call(changeDefaults, { body: { change, reason, token: crypto.randomUUID() } }),
    notice: ({ change }) => ({
      text: t('mailboxes.defaults.changed'),
      action: { label: t('mailboxes.undo'), run: () => undoing.mutate(change) },
    }),
    say: error =>
      problemOf(error).code === 'MAILBOX_CHANGED' ? t('mailboxes.meanwhile') : problemOf(error).text,
    makes: 'mailbox-changed',
  })
}
