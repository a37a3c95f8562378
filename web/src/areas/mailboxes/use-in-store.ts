import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { moveMail, readMailboxInStore, undoStoreMove, type MailboxInStore } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { useAct } from '../../app/use-act.ts'

/** While something is moved it is looked again so soon; else now and then. Milliseconds. */
const [whileMoving, usually] = [700, 30_000]

const isUnderWay = ({ moves }: Pick<MailboxInStore, 'moves'>): boolean =>
  moves.some(({ state }) => state === 'moving' || state === 'undoing')

/** A mailbox as its mail store has it. */
export const useInStore = (id: number) =>
  useQuery({
    queryKey: queryKeyOf('in-store', id),
    queryFn: ({ signal }) => call(readMailboxInStore, { params: { id }, query: { fresh: 'no' }, signal }),
    refetchInterval: ({ state }) => (state.data && isUnderWay(state.data) ? whileMoving : usually),
  })

/** Has Pendro look into the mailbox now. */
export function useLookAgain(id: number) {
  const client = useQueryClient()
  return useAct({
    send: () => call(readMailboxInStore, { params: { id }, query: { fresh: 'yes' } }),
    onDone: answer => client.setQueryData(queryKeyOf('in-store', id), answer),
  })
}

/** Moves all of a folder to the inbox, with its undo at the foot of the screen. */
export function useMoveAll(id: number) {
  const { t } = useTranslation()
  const undoing = useUndoMove()
  return useAct({
    send: (from: string) =>
      call(moveMail, { params: { id }, body: { from, to: 'INBOX', reason: '', token: crypto.randomUUID() } }),
    notice: ({ move }, from) => ({
      text: t('mailboxes.inStore.begun', { from }),
      action: { label: t('change.undo'), run: () => undoing.mutate(move) },
    }),
    makes: 'mail-moved',
  })
}

/** Takes a move back. */
export function useUndoMove() {
  const { t } = useTranslation()
  return useAct({
    send: (id: number) => call(undoStoreMove, { params: { id } }),
    notice: () => ({ text: t('mailboxes.inStore.undoing') }),
    makes: 'mail-moved',
  })
}
