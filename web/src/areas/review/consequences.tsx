import { queryKeyOf } from '../../app/query-keys.ts'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import {
  previewRuling,
  unsubscribe,
  type DeliverySheet,
  type ReviewRow,
  type RulingSentence,
  type SelectionSummary,
} from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { useNumbers, useTimes } from '../../app/times.ts'
import { Button } from '../../parts/buttons.tsx'
import { ReachView } from '../../parts/reach.tsx'
import { useDelayed } from '../../parts/use-delayed.ts'
import { useRuling } from './ruling-store.ts'
import { useAct } from '../../app/use-act.ts'

interface Props {
  readonly sheet: DeliverySheet
  readonly targets: readonly ReviewRow[]
  readonly sentence: RulingSentence
}

/** What follows from the sentence, in words, before it is applied. */
export function Consequences({ sheet, targets, sentence }: Props) {
  const selection = useRuling(state => state.selection)
  return (
    <div className="mt-1 min-h-10 text-[0.95rem] text-ink-2" aria-live="polite" data-testid="consequences">
      {sentence.sender === 'as-is' ? (
        selection === null ? (
          <ForTheMessage sheet={sheet} sentence={sentence} />
        ) : (
          <ForAll selection={selection} sentence={sentence} />
        )
      ) : (
        <Reach targets={targets} sentence={sentence} />
      )}
      {sentence.sender === 'blocked' && sheet.unsubscribe.kind === 'one-click' && <OwnWayOut sheet={sheet} />}
    </div>
  )
}

function ForTheMessage({ sheet, sentence }: Pick<Props, 'sheet' | 'sentence'>) {
  const { t } = useTranslation()
  const times = useTimes()
  return (
    <p>
      {t(`consequence.${sentence.message}`, {
        day: times.day(sheet.row.expiresAt),
        address: sheet.row.fromAddress,
      })}
    </p>
  )
}

/** What becomes of everything that was shown, and of how much nothing. */
function ForAll({ selection, sentence }: Pick<Props, 'sentence'> & { selection: SelectionSummary }) {
  const { t } = useTranslation()
  const { number } = useNumbers()
  const { message } = sentence
  const count = message === 'leave' ? selection.deliveries : selection.can[message]
  const left = selection.deliveries - count
  return (
    <p>
      {t(`consequence.all.${message}`, {
        count,
        shown: number(count),
        colleagues: t('reach.colleagues', { count: selection.colleagues }),
      })}{' '}
      {left > 0 && t('consequence.all.left', { count: left, shown: number(left) })}
    </p>
  )
}

function Reach({ targets, sentence }: Omit<Props, 'sheet'>) {
  const { t } = useTranslation()
  const change = useRuling(state => state.change)
  const selection = useRuling(state => state.selection)
  const about =
    selection === null
      ? { deliveries: targets.slice(0, 2000).map(({ id }) => id) }
      : { selection: selection.id }
  const wanted = useDelayed({ ...about, sentence: { ...sentence, reason: '' } }, 120)
  const { data, error, isFetching } = useQuery({
    queryKey: queryKeyOf('reach', wanted),
    enabled: 'selection' in wanted || wanted.deliveries.length > 0,
    queryFn: ({ signal }) => call(previewRuling, { body: wanted, signal }),
    placeholderData: keepPreviousData,
  })
  if (error) {
    return (
      <p role="alert" className="text-stop">
        {problemOf(error).text}
      </p>
    )
  }
  if (!data) return <p>{t('reach.counting', { days: 30 })}</p>
  return (
    <>
      <ReachView reach={data} fading={isFetching} onTake={pattern => change({ pattern })} />
      {sentence.for === 'request' && <p>{t('reach.asRequest')}</p>}
      {sentence.message === 'leave' && (
        <p>
          {data.toJunk > 0
            ? t('reach.toJunk', { count: data.toJunk })
            : t(`reach.messageStays.${sentence.sender}`)}
        </p>
      )}
    </>
  )
}

/** A proper sender offers a way out that works better than any block. */
function OwnWayOut({ sheet }: { sheet: DeliverySheet }) {
  const { t } = useTranslation()
  const asking = useAct({
    send: () => call(unsubscribe, { params: { id: sheet.row.id }, body: {} }),
    notice: ({ host }) => ({ text: t('reach.unsubscribed', { host }) }),
    makes: 'unsubscribed',
  })
  return (
    <p>
      {t('reach.unsubscribe', { to: sheet.unsubscribe.to })}{' '}
      <Button kind="link" disabled={asking.isPending || asking.isSuccess} onClick={() => asking.mutate()}>
        {t('reach.unsubscribeNow')}
      </Button>
    </p>
  )
}
