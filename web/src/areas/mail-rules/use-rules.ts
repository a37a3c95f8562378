import { looksAfterAll, useSession } from '../../app/session.ts'
import { useCallback } from 'react'
import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import {
  changeRules,
  listMailRules,
  previewRulesChange,
  readRulesWork,
  suggestMailRule,
  undoMailboxChange,
  type LiveEvent,
  type RulesChange,
} from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useLiveEvents } from '../../app/live.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { useAct } from '../../app/use-act.ts'

/** A mailbox's number, or the organisation. */
export type Owner = number | null

const asked = (owner: Owner) => (owner === null ? {} : { mailbox: owner })

export function useRules(owner: Owner) {
  return useQuery({
    queryKey: queryKeyOf('mail-rule', 'list', owner),
    queryFn: ({ signal }) => call(listMailRules, { query: asked(owner), signal }),
  })
}

/** What each rule did in the last 30 days; takes a moment longer than the rules themselves. */
export function useRulesWork(owner: Owner) {
  const all = looksAfterAll(useSession())
  return useQuery({
    queryKey: queryKeyOf('mail-rule', 'work', owner),
    enabled: owner !== null || all,
    queryFn: ({ signal }) => call(readRulesWork, { query: asked(owner), signal }),
    placeholderData: keepPreviousData,
  })
}

export function useRulesEffect(owner: Owner, change: RulesChange | null) {
  return useQuery({
    queryKey: queryKeyOf('mail-rule', 'effect', owner, change),
    enabled: change !== null,
    queryFn: ({ signal }) =>
      change ? call(previewRulesChange, { body: { mailbox: owner, change }, signal }) : Promise.resolve(null),
    placeholderData: keepPreviousData,
    gcTime: 10_000,
  })
}

/** How a rule for messages like one begins. */
export function useSuggestion(like: number | null) {
  return useQuery({
    queryKey: queryKeyOf('mail-rule', 'like', like),
    enabled: like !== null,
    queryFn: ({ signal }) =>
      like === null ? Promise.resolve(null) : call(suggestMailRule, { params: { id: like }, signal }),
  })
}

/** Somebody elsewhere has changed rules: they are read anew. */
export function useRulesLive(): void {
  const client = useQueryClient()
  useLiveEvents(
    useCallback(
      ({ kind }: LiveEvent) => {
        if (kind === 'mailbox') void client.invalidateQueries({ queryKey: queryKeyOf('mail-rule') })
      },
      [client],
    ),
  )
}

interface Changing {
  readonly change: RulesChange
  readonly reason?: string
  /** The rule's name, for what is told. */
  readonly name?: string
}

/** Changes rules as one act, with its undo at the foot of the screen. */
export function useRulesChange(owner: Owner, onDone: (added: readonly number[]) => void = () => undefined) {
  const { t } = useTranslation()
  const undoing = useAct({
    send: (id: number) => call(undoMailboxChange, { params: { id } }),
    notice: () => ({ text: t('mailRules.done.undone') }),
    makes: 'mail-rule-changed',
  })
  return useAct({
    send: ({ change, reason = '' }: Changing) =>
      call(changeRules, { body: { mailbox: owner, change, reason, token: crypto.randomUUID() } }),
    notice: ({ change, added }, { change: made, name = '' }) => ({
      text:
        made.act === 'copy' || made.act === 'bring-in'
          ? t(`mailRules.done.${made.act}`, { count: added.length })
          : t(`mailRules.done.${made.act === 'switch' ? (made.on ? 'on' : 'off') : made.act}`, { name }),
      action: { label: t('mailRules.done.undo'), run: () => undoing.mutate(change) },
    }),
    makes: 'mail-rule-changed',
    onDone: ({ added }) => onDone(added),
  })
}
