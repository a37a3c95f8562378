import { useMutation } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { actOwn, undoOwn, type OwnAct } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useNotices } from '../../app/notices.ts'
import { useProblemText, useReadAgain } from './own-session.ts'

export const acts = ['send', 'send-trust', 'refuse'] as const satisfies readonly OwnAct[]

/** Acts on one or several messages, says what happened, and offers to undo what can be undone. */
export function useActs(onDone: () => void = () => {}) {
  const { t } = useTranslation()
  const show = useNotices(state => state.show)
  const readAgain = useReadAgain()
  const problemText = useProblemText()
  const undoing = useMutation({
    mutationFn: (rulingId: number) => call(undoOwn, { params: { id: rulingId }, body: {} }),
    onSuccess: ({ stayedReleased }) =>
      show({
        tone: 'done',
        text: stayedReleased === 0 ? t('own.undone') : t('own.undoneStayed', { count: stayedReleased }),
      }),
    onError: error => show({ tone: 'problem', text: problemText(error) }),
    onSettled: readAgain,
  })
  return useMutation({
    mutationFn: ({ ids, act }: { ids: readonly number[]; act: OwnAct }) =>
      call(actOwn, { body: { deliveries: [...ids], act, token: crypto.randomUUID() } }),
    onSuccess: ({ rulingId, deliveries, patterns }, { act }) => {
      show({
        tone: 'done',
        text: t(`own.done.${act}`, { count: deliveries.length, patterns: patterns.join(', ') }),
        // A message on its way can't be called back, and nothing else was changed.
        ...(act === 'send' ? {} : { action: { label: t('own.undo'), run: () => undoing.mutate(rulingId) } }),
      })
      onDone()
    },
    onError: error => show({ tone: 'problem', text: problemText(error) }),
    onSettled: readAgain,
  })
}
