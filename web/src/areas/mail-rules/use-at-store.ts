import { useQueryClient } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { putStoreScript, readStoreScript, undoStoreScript, type StoreScriptShape } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { useAct } from '../../app/use-act.ts'

function useAnswer(mailbox: number) {
  const client = useQueryClient()
  return (answer: StoreScriptShape) =>
    client.setQueryData(queryKeyOf('mail-rule', 'at-store', mailbox), answer)
}

/** Has Pendro look at the store now. */
export function useLookAtStore(mailbox: number) {
  return useAct({
    send: () => call(readStoreScript, { params: { id: mailbox }, query: { fresh: 'yes' } }),
    onDone: useAnswer(mailbox),
  })
}

/** Puts Pendro’s scripts in place of what was shown, with its undo at the foot of the screen. */
export function usePutAtStore(mailbox: number) {
  const { t } = useTranslation()
  const undoing = useUndoAtStore(mailbox)
  return useAct({
    send: (seen: string) => call(putStoreScript, { params: { id: mailbox }, body: { seen, reason: '' } }),
    notice: () => ({
      text: t('atStore.took'),
      action: { label: t('change.undo'), run: () => undoing.mutate() },
    }),
    onDone: useAnswer(mailbox),
    makes: 'mail-rule-changed',
  })
}

/** Brings back what was there before. */
export function useUndoAtStore(mailbox: number) {
  const { t } = useTranslation()
  return useAct({
    send: () => call(undoStoreScript, { params: { id: mailbox } }),
    notice: () => ({ text: t('atStore.undone') }),
    onDone: useAnswer(mailbox),
    makes: 'mail-rule-changed',
  })
}
