import { useCallback } from 'react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import {
  changeSetting,
  readDefaults,
  readSettings,
  undoMailboxChange,
  type LiveEvent,
  type SettingChange,
} from '@pendro/contract'
import { useLiveEvents } from '../../app/live.ts'
import { call, problemOf } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { useAct } from '../../app/use-act.ts'

/** How the organisation is set; what others change shows by itself. */
export function useSettings() {
  const client = useQueryClient()
  useLiveEvents(
    useCallback(
      ({ kind }: LiveEvent) => {
        if (kind === 'mailbox') void client.invalidateQueries({ queryKey: queryKeyOf('settings') })
      },
      [client],
    ),
  )
  return useQuery({
    queryKey: queryKeyOf('settings'),
    queryFn: ({ signal }) => call(readSettings, { signal }),
  })
}

/** The departments there are, by name; none until they are known. */
export function useDepartments(): readonly string[] {
  const { data } = useQuery({
    queryKey: queryKeyOf('settings', 'departments'),
    queryFn: ({ signal }) => call(readDefaults, { signal }),
  })
  return data?.departments.map(({ name }) => name) ?? []
}

/** Changes one of its settings, with its undo at the foot of the screen. */
export function useChangeSetting() {
  const { t } = useTranslation()
  const undoing = useAct({
    send: (id: number) => call(undoMailboxChange, { params: { id } }),
    notice: () => ({ text: t('change.undone') }),
    makes: 'setting-changed',
  })
  return useAct({
    send: ({ change, reason }: { change: SettingChange; reason: string }) =>
      call(changeSetting, { body: { change, reason, token: crypto.randomUUID() } }),
    notice: ({ change }) => ({
      text: t('organisation.changed'),
      action: { label: t('change.undo'), run: () => undoing.mutate(change) },
    }),
    say: error =>
      problemOf(error).code === 'MAILBOX_CHANGED' ? t('organisation.meanwhile') : problemOf(error).text,
    makes: 'setting-changed',
  })
}
