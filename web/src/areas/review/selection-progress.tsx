import { useEffect } from 'react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { selectionProgress, type SelectionProgress } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useNotices } from '../../app/notices.ts'
import { makeStale, queryKeyOf } from '../../app/query-keys.ts'
import { useNumbers } from '../../app/times.ts'
import { useRuling } from './ruling-store.ts'
import { useRulings } from './use-rulings.ts'

const isUnderWay = ({ state }: SelectionProgress) => state === 'ruling' || state === 'undoing'

/** How far a ruling on everything that was shown has come; says so once when it has come to its end. */
export function SelectionProgressBar() {
  const { t } = useTranslation()
  const { number } = useNumbers()
  const running = useRuling(state => state.running)
  const { data } = useQuery({
    queryKey: queryKeyOf('selection', running?.selection),
    enabled: running !== null,
    queryFn: ({ signal }) => call(selectionProgress, { params: { id: running?.selection ?? 0 }, signal }),
    refetchInterval: ({ state }) => (!state.data || isUnderWay(state.data) ? 700 : false),
  })
  useEnd(data)
  if (running === null || !data || !isUnderWay(data)) return null
  const { state, done, left, total } = data
  const part = state === 'ruling' ? done + left : total - done
  return (
    <div role="status" className="mb-1 flex items-center gap-3">
      <progress
        className="h-2 w-40 accent-petrol"
        value={part}
        max={Math.max(1, total)}
        aria-label={t('ruling.all.progress')}
      />
      <span>
        {t(`ruling.all.underWay.${state === 'ruling' ? running.message : 'undo'}`, {
          done: number(part),
          total: number(total),
        })}
      </span>
    </div>
  )
}

function useEnd(data: SelectionProgress | undefined): void {
  const { t } = useTranslation()
  const { number } = useNumbers()
  const client = useQueryClient()
  const show = useNotices(state => state.show)
  const { running, follow } = useRuling()
  const { undo } = useRulings()
  useEffect(() => {
    if (running === null || data === undefined || data.id !== running.selection || isUnderWay(data)) return
    follow(null)
    void client.resetQueries({ queryKey: queryKeyOf('review') })
    void makeStale(client, 'ruling')
    const { state, done, left, rulingId } = data
    const undone = state === 'undone'
    show({
      tone: 'done',
      text: [
        undone ? t('ruling.undone') : t(`ruling.done.${running.message}`, { count: done }),
        ...(left > 0
          ? [t(undone ? 'ruling.all.stayed' : 'ruling.all.leftAlone', { count: left, shown: number(left) })]
          : []),
      ].join(' '),
      ...(undone || rulingId === null
        ? {}
        : { action: { label: t('ruling.undo'), run: () => void undo(rulingId) } }),
    })
    // eslint-disable-next-line react-hooks/exhaustive-deps -- once for each end
  }, [data?.state, running])
}
