import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import {
  previewRuling,
  type DeliverySheet,
  type ReachShape,
  type ReviewRow,
  type RulingSentence,
} from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { useNumbers, useTimes } from '../../app/times.ts'
import { Sentence } from '../../parts/sentence.tsx'
import { useDelayed } from '../../parts/use-delayed.ts'

interface Props {
  readonly sheet: DeliverySheet
  readonly targets: readonly ReviewRow[]
  readonly sentence: RulingSentence
}

/** What follows from the sentence, in words, before it is applied. */
export function Consequences({ sheet, targets, sentence }: Props) {
  return (
    <div className="mt-1 min-h-10 text-[0.95rem] text-ink-2" aria-live="polite" data-testid="consequences">
      {sentence.sender === 'as-is' ? (
        <ForTheMessage sheet={sheet} sentence={sentence} />
      ) : (
        <Reach targets={targets} sentence={sentence} />
      )}
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

function Reach({ targets, sentence }: Omit<Props, 'sheet'>) {
  const { t } = useTranslation()
  const wanted = useDelayed(
    { deliveries: targets.slice(0, 2000).map(({ id }) => id), sentence: { ...sentence, reason: '' } },
    120,
  )
  const { data, error, isFetching } = useQuery({
    queryKey: ['reach', wanted],
    enabled: wanted.deliveries.length > 0,
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
  if (!data) return <p>{t('reach.counting')}</p>
  return (
    <div className={isFetching ? 'opacity-60' : ''}>
      <ReachText reach={data} standing={sentence.sender === 'safe' ? 'safe' : 'blocked'} />
      {data.caution && <p className="font-semibold text-stop">{t(`reach.caution.${data.caution}`)}</p>}
      {sentence.message === 'leave' && <p>{t(`reach.messageStays.${sentence.sender}`)}</p>}
    </div>
  )
}

function ReachText({ reach, standing }: { reach: ReachShape; standing: 'safe' | 'blocked' }) {
  const { t } = useTranslation()
  const { number } = useNumbers()
  const parts: string[] = []
  const changed = standing === 'safe' ? reach.letThrough : reach.keptBack
  if (reach.adds.length === 0) parts.push(t('reach.already'))
  if (changed > 0) {
    parts.push(
      t(`reach.${standing}`, {
        days: reach.days,
        messages: t('reach.messages', { count: changed, shown: number(changed) }),
        colleagues: t('reach.colleagues', { count: reach.colleagues }),
      }),
    )
  } else if (reach.refused > 0)
    parts.push(t('reach.nothingRefused', { days: reach.days, count: reach.refused }))
  else parts.push(t('reach.nothing', { days: reach.days, count: reach.looked }))
  if (standing === 'safe' && changed > 0)
    parts.push(reach.harmful === 0 ? t('reach.noneHarmful') : t('reach.harmful', { count: reach.harmful }))
  if (reach.refused > 0 && changed > 0) parts.push(t('reach.refused', { count: reach.refused }))
  for (const { entry, deliveries } of reach.overruledBy.slice(0, 2)) {
    const whose =
      entry.mailboxId === null
        ? t('reach.organisationEntry')
        : t('reach.personalEntry', { name: entry.keptBy })
    parts.push(
      t('reach.overruled', {
        whose,
        standing: t(`standing.${entry.standing}`),
        pattern: entry.pattern,
        count: deliveries,
      }),
    )
  }
  for (const entry of reach.ends.slice(0, 2))
    parts.push(
      t('reach.ends', {
        standing: t(`standing.${entry.standing}`),
        pattern: entry.pattern,
        until: entry.until ?? '',
      }),
    )
  if (reach.cut) parts.push(t('reach.cut', { count: reach.looked }))
  return (
    <p>
      <Sentence text={parts.join(' ')} />
    </p>
  )
}
