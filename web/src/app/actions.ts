import { useQueryClient } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { useNavigate } from 'react-router'
import { leave, mayWrite, useSession, looksAfterAll } from './session.ts'
import { useTheme, type Theme } from './theme.ts'

export interface Action {
  readonly name: string
  readonly run: () => void
}

/** What can be done from anywhere, to be found by typing; what somebody may not do is not offered. */
export function useActions({ onKeys }: { onKeys: () => void }): readonly Action[] {
  const { t } = useTranslation()
  const navigate = useNavigate()
  const client = useQueryClient()
  const session = useSession()
  const { choose } = useTheme()
  const go = (name: string, to: string): Action => ({ name, run: () => void navigate(to) })
  const areas = [
    'review',
    'whereabouts',
    'digests',
    'senders',
    'mailboxes',
    'calibration',
    'organisation',
    'record',
  ] as const
  return [
    ...areas.map(area => go(t('shell.do.area', { area: t(`areas.${area}`) }), `/${area}`)),
    go(t('shell.do.exact'), '/whereabouts/list'),
    ...(mayWrite(session)
      ? [
          go(t('shell.do.enquiry'), '/whereabouts?enquiry=new'),
          ...(looksAfterAll(session) ? [go(t('shell.do.bringIn'), '/senders/bring-in')] : []),
        ]
      : []),
    go(t('shell.do.today'), '/record?who=me&what=everything&days=1'),
    ...(['light', 'dark', 'system'] as const).map((theme: Theme) => ({
      name: t(`theme.${theme}`),
      run: () => choose(theme),
    })),
    go(t('shell.forbidden'), '/organisation'),
    go(t('shell.me'), '/me'),
    { name: t('shell.keys'), run: onKeys },
    { name: t('shell.signOut'), run: () => void leave(client) },
  ]
}

/** Each typed word begins a word of the name; two letters at least, so that one does not bring them all. */
export function isMeant(typed: string, name: string): boolean {
  if (typed.length < 2) return false
  const words = name.toLowerCase().split(/[^\p{L}\p{N}]+/u)
  return typed
    .toLowerCase()
    .split(/\s+/)
    .every(part => words.some(word => word.startsWith(part)))
}
