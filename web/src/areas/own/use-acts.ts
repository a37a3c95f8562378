import { useTranslation } from 'react-i18next'
import { actOwn, undoOwn, type OwnAct } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useOwnSession } from './own-session.ts'
import { useOwnAct } from './use-own-act.ts'

const acts = ['send', 'send-trust', 'refuse'] as const satisfies readonly OwnAct[]

/** What this colleague may do with mail of their own: where lists are the organisation's, sending it to oneself is left. */
export function useOfferedActs(): readonly OwnAct[] {
  const { may } = useOwnSession()
  return acts.filter(act => act === 'send' || may.senders)
}

/** Acts on one or several messages, says what happened, and offers to undo what can be undone. */
export function useActs(onDone: () => void = () => {}) {
  const { t } = useTranslation()
  const undoing = useOwnAct({
    send: (rulingId: number) => call(undoOwn, { params: { id: rulingId }, body: {} }),
    notice: ({ stayedReleased }) => ({
      text: stayedReleased === 0 ? t('own.undone') : t('own.undoneStayed', { count: stayedReleased }),
    }),
    makes: 'own-changed',
  })
  return useOwnAct({
    send: ({ ids, act }: { ids: readonly number[]; act: OwnAct }) =>
      call(actOwn, { body: { deliveries: [...ids], act, token: crypto.randomUUID() } }),
    notice: ({ rulingId, deliveries, patterns }, { act }) => ({
      text: t(`own.done.${act}`, { count: deliveries.length, patterns: patterns.join(', ') }),
      // A message on its way can't be called back, and nothing else was changed.
      ...(act === 'send' ? {} : { action: { label: t('own.undo'), run: () => undoing.mutate(rulingId) } }),
    }),
    makes: 'own-changed',
    onDone,
  })
}
