import { useTranslation } from 'react-i18next'
import { useNumbers } from '../../app/times.ts'
import { worthALook } from '../../app/shell.tsx'
import { FindChip } from '../../parts/find-chip.tsx'
import { MailboxSlot } from '../../parts/mailbox-slot.tsx'
import { Sentence } from '../../parts/sentence.tsx'
import { SentenceSlot } from '../../parts/sentence-slot.tsx'
import { dayChoices, orders, stateChoices, type Filter } from './filter.ts'
import type { useReviewCounts } from './review-queries.ts'

export function FilterSentence({
  filter,
  change,
  counts,
}: {
  filter: Filter
  change: (part: Partial<Filter>) => void
  counts: ReturnType<typeof useReviewCounts>['data']
}) {
  const { t } = useTranslation()
  const days = [...new Set<number>([...dayChoices, filter.days])].sort((a, b) => a - b)
  return (
    <div className="text-[1.14rem] leading-[2.05rem]">
      <CountSentence filter={filter} counts={counts} />{' '}
      <Sentence
        text={t('review.filter')}
        slots={{
          states: (
            <SentenceSlot
              label={t('review.statesLabel')}
              text={t(`review.states.${filter.states}`)}
              value={filter.states}
              options={stateChoices.map(value => ({
                value,
                text: t(`review.states.${value}`),
                hint: t(`review.statesHint.${value}`),
              }))}
              onPick={states => change({ states, from: 0, to: 100 })}
            />
          ),
          mailbox: <MailboxSlot mailbox={filter.mailbox} onPick={mailbox => change({ mailbox })} />,
          days: (
            <SentenceSlot
              label={t('review.daysLabel')}
              text={t('review.days', { count: filter.days })}
              value={String(filter.days)}
              options={days.map(count => ({ value: String(count), text: t('review.days', { count }) }))}
              onPick={value => change({ days: Number(value) })}
            />
          ),
          order: (
            <SentenceSlot
              label={t('review.orderLabel')}
              text={t(`review.order.${filter.order}`)}
              value={filter.order}
              options={orders.map(value => ({ value, text: t(`review.order.${value}`) }))}
              onPick={order => change({ order })}
            />
          ),
        }}
      />
      {filter.find && <FindChip find={filter.find} onClear={() => change({ find: undefined })} />}
    </div>
  )
}

function CountSentence({
  filter,
  counts,
}: {
  filter: Filter
  counts: ReturnType<typeof useReviewCounts>['data']
}) {
  const { t } = useTranslation()
  const { number } = useNumbers()
  if (!counts) return <span className="skeleton inline-block h-4 w-56 align-middle" />
  const { total, inBand } = counts
  if (filter.from > 0 || filter.to < 100) {
    return (
      <Sentence
        text={t('review.inBand', {
          part: number(inBand),
          total: number(total),
          from: filter.from,
          to: filter.to,
        })}
      />
    )
  }
  if (filter.states !== 'kept')
    return <Sentence text={t('review.total', { count: total, shown: number(total) })} />
  return (
    <Sentence
      text={t('review.worth', { count: total, part: number(worthALook(counts)), total: number(total) })}
    />
  )
}
