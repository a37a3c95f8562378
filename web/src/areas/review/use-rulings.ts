import { queryKeyOf, makeStale } from '../../app/query-keys.ts'
import { useCallback, useState } from 'react'
import { useQueryClient } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { applyRuling, undoRuling, type ReviewRow, type RulingSentence } from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { useNotices } from '../../app/notices.ts'
import { madeText } from '../../parts/made-text.ts'
import { watchArrivals } from './arrivals.ts'
import { dropRows, patchRows } from './review-queries.ts'
import { useRuling } from './ruling-store.ts'

/** Rows, or everything of a selection. */
type RuledOn = readonly ReviewRow[] | { readonly selection: number }

/** Applying and undoing: one request each, the answer put on screen, and said in words. */
export function useRulings(): {
  busy: boolean
  apply: (about: RuledOn, sentence: RulingSentence, onDone: () => void) => Promise<void>
  undo: (rulingId: number) => Promise<void>
} {
  const client = useQueryClient()
  const { t } = useTranslation()
  const show = useNotices(state => state.show)
  const amend = useNotices(state => state.amend)
  const applied = useRuling(state => state.applied)
  const follow = useRuling(state => state.follow)
  const [busy, setBusy] = useState(false)

  const refresh = useCallback(() => {
    void makeStale(client, 'ruling')
  }, [client])

  const undo = useCallback(
    async (rulingId: number) => {
      try {
        const { stayedReleased, running } = await call(undoRuling, { params: { id: rulingId } })
        applied(null)
        // Thousands come back in parts; the bar shows how far they are.
        if (running !== null) {
          client.removeQueries({ queryKey: queryKeyOf('selection', running) })
          return follow({ selection: running, message: 'leave' })
        }
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
    [applied, client, follow, refresh, show, t],
  )

  const apply = useCallback(
    async (about: RuledOn, sentence: RulingSentence, onDone: () => void) => {
      setBusy(true)
      const arrivals = watchArrivals()
      try {
        const ruling = await call(applyRuling, {
          body: {
            ...('selection' in about ? about : { deliveries: about.map(({ id }) => id) }),
            sentence,
            token: crypto.randomUUID(),
          },
        })
        if ('selection' in about) {
          follow({ selection: about.selection, message: sentence.message })
          applied(ruling.id)
          arrivals.stop()
          return refresh()
        }
        onDone()
        if (sentence.message === 'leave')
          patchRows(client, new Map(ruling.deliveries.map(({ id, state }) => [id, state])))
        else dropRows(client, new Set(ruling.deliveries.map(({ id }) => id)))
        applied(ruling.id)
        refresh()
        const count = ruling.deliveries.length
        const entries = madeText(ruling, t)
        const asked = sentence.for === 'request' && sentence.sender !== 'as-is' ? [t('ruling.asked')] : []
        const ended = ruling.ended.length > 0 ? [t('ruling.endedNow', { count: ruling.ended.length })] : []
        const text = (what: string) => [what, ...entries, ...asked, ...ended].join(' ')
        const notice = show({
          tone: 'done',
          text: text(t(`ruling.done.${sentence.message}`, { count })),
          action: { label: t('ruling.undo'), run: () => void undo(ruling.id) },
        })
        if (sentence.message === 'release')
          arrivals.of(
            ruling.deliveries.map(({ id }) => id),
            () => amend(notice, text(t('ruling.taken', { count }))),
          )
        else arrivals.stop()
      } catch (error) {
        arrivals.stop()
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
    [amend, applied, client, follow, refresh, show, t, undo],
  )
  return { busy, apply, undo }
}
