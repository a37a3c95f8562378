import { queryKeyOf, makeStale } from '../../app/query-keys.ts'
import { useCallback, useState } from 'react'
import { useQueryClient } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { applyRuling, undoRuling, type ReviewRow, type RulingSentence } from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { useNotices } from '../../app/notices.ts'
import { madeText } from '../../parts/made-text.ts'
import { dropRows, patchRows } from './review-queries.ts'
import { useRuling } from './ruling-store.ts'

/** Applying and undoing: one request each, the answer put on screen, and said in words. */
export function useRulings(): {
  busy: boolean
  apply: (targets: readonly ReviewRow[], sentence: RulingSentence, onDone: () => void) => Promise<void>
  undo: (rulingId: number) => Promise<void>
} {
  const client = useQueryClient()
  const { t } = useTranslation()
  const show = useNotices(state => state.show)
  const applied = useRuling(state => state.applied)
  const [busy, setBusy] = useState(false)

  const refresh = useCallback(() => {
    void makeStale(client, 'ruling')
  }, [client])

  const undo = useCallback(
    async (rulingId: number) => {
      try {
        const { stayedReleased } = await call(undoRuling, { params: { id: rulingId } })
        applied(null)
        void client.resetQueries({ queryKey: queryKeyOf('review') })
        refresh()
        show({
          tone: 'done',
          text: stayedReleased > 0 ? t('ruling.undoneBut', { count: stayedReleased }) : t('ruling.undone'),
        })
      } catch (error) {
        show({ tone: 'problem', text: problemOf(error).text })
      }
    },
    [applied, client, refresh, show, t],
  )

  const apply = useCallback(
    async (targets: readonly ReviewRow[], sentence: RulingSentence, onDone: () => void) => {
      setBusy(true)
      try {
        const ruling = await call(applyRuling, {
          body: { deliveries: targets.map(({ id }) => id), sentence, token: crypto.randomUUID() },
        })
        onDone()
        if (sentence.message === 'leave')
          patchRows(client, new Map(ruling.deliveries.map(({ id, state }) => [id, state])))
        else dropRows(client, new Set(ruling.deliveries.map(({ id }) => id)))
        applied(ruling.id)
        refresh()
        const what = t(`ruling.done.${sentence.message}`, { count: ruling.deliveries.length })
        const entries = madeText(ruling, t)
        const asked = sentence.for === 'request' && sentence.sender !== 'as-is' ? [t('ruling.asked')] : []
        const ended = ruling.ended.length > 0 ? [t('ruling.endedNow', { count: ruling.ended.length })] : []
        show({
          tone: 'done',
          text: [what, ...entries, ...asked, ...ended].join(' '),
          action: { label: t('ruling.undo'), run: () => void undo(ruling.id) },
        })
      } catch (error) {
        const problem = problemOf(error)
        show({ tone: 'problem', text: problem.text })
        if (problem.status === 409) {
          void client.invalidateQueries({ queryKey: queryKeyOf('review') })
          refresh()
        }
      } finally {
        setBusy(false)
      }
    },
    [applied, client, refresh, show, t, undo],
  )
  return { busy, apply, undo }
}
