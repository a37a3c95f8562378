import { clsx } from 'clsx'
import { useTranslation } from 'react-i18next'
import type { ReachNumbers, ReachShape, SplitShape } from '@pendro/contract'
import { useNumbers } from '../app/times.ts'
import { Sentence } from './sentence.tsx'

const totalOf = ({ wanted, doubtful, harmful }: SplitShape) => wanted + doubtful + harmful

interface Props {
  readonly reach: ReachShape
  /** Takes one of the patterns beside in place of the one in the sentence. */
  readonly onTake?: (pattern: string) => void
  readonly fading?: boolean
  /** Whoever shows it lists what ends, too. */
  readonly listed?: boolean
}

/** What a change of the lists would have done, in words, and the patterns beside it to choose from. */
export function ReachView({ reach, onTake, fading = false, listed = false }: Props) {
  const { t } = useTranslation()
  return (
    <div className={clsx(fading && 'opacity-60')}>
      <ReachText reach={reach} listed={listed} />
      {reach.refusal && <p className="font-semibold text-stop">{t(`reach.refusal.${reach.refusal}`)}</p>}
      {reach.caution && <p className="font-semibold text-stop">{t(`reach.caution.${reach.caution}`)}</p>}
      {onTake && <Beside reach={reach} onTake={onTake} />}
    </div>
  )
}

function ReachText({ reach, listed }: { reach: ReachShape; listed: boolean }) {
  const { t } = useTranslation()
  const { number } = useNumbers()
  const split = useSplit()
  const { days } = reach
  const shown = (count: number) => ({ count, shown: number(count) })
  const [through, back] = [totalOf(reach.letThrough), totalOf(reach.keptBack)]
  const parts: string[] = []
  if (reach.adds.length === 0 && reach.ends.length === 0) parts.push(t('reach.already'))
  const colleagues = t('reach.colleagues', { count: reach.colleagues })
  if (through > 0)
    parts.push(
      t('reach.safe', {
        days,
        messages: t('reach.messages', shown(through)),
        colleagues,
        split: split(reach.letThrough),
      }),
    )
  if (back > 0)
    parts.push(
      t('reach.blocked', {
        days,
        messages: t('reach.messages', shown(back)),
        colleagues,
        split: split(reach.keptBack),
      }),
    )
  if (through + back === 0 && reach.refused > 0)
    parts.push(t('reach.nothingRefused', { days, ...shown(reach.refused) }))
  else if (through + back + reach.elsewhere === 0)
    parts.push(t('reach.nothing', { days, ...shown(reach.looked) }))
  else if (reach.refused > 0) parts.push(t('reach.refused', shown(reach.refused)))
  reach.moves.slice(0, 2).forEach(({ from, to, deliveries }, i) => {
    const what = from === 'quarantined' && to === 'left-out' ? 'unlisted' : 'elsewhere'
    parts.push(
      t(i === 0 ? `reach.${what}` : `reach.more.${what}`, {
        days,
        ...shown(deliveries),
        from: t(`reach.place.${from}`),
        to: t(`reach.place.${to}`),
      }),
    )
  })
  if (reach.sealed > 0) parts.push(t('reach.sealed', shown(reach.sealed)))
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
        ...shown(deliveries),
      }),
    )
  }
  if (!listed)
    for (const entry of reach.ends.slice(0, 3))
      parts.push(t('reach.ends', { standing: t(`standing.${entry.standing}`), pattern: entry.pattern }))
  return (
    <p>
      <Sentence text={parts.join(' ')} />
    </p>
  )
}

/** "6 wanted, 3 in doubt, **8 harmful**": what is none is not said. */
function useSplit(): (split: SplitShape) => string {
  const { t } = useTranslation()
  const { number } = useNumbers()
  return split =>
    (['wanted', 'doubtful', 'harmful'] as const)
      .filter(kind => split[kind] > 0)
      .map(kind => t(`reach.split.${kind}`, { shown: number(split[kind]) }))
      .join(', ')
}

function Beside({ reach, onTake }: { reach: ReachShape; onTake: (pattern: string) => void }) {
  const { t } = useTranslation()
  const { number } = useNumbers()
  const { beside, narrower, gap } = reach
  const offered = narrower?.pattern ?? gap?.pattern ?? null
  const offer = beside.find(({ pattern }) => pattern === offered)
  if (beside.length === 0) return null
  return (
    <>
      {gap && narrower === null && (
        <p>
          <Sentence
            text={t(gap.missed > 0 ? 'reach.gap' : 'reach.gapHabit', {
              missed: number(gap.missed),
              addresses: number(gap.addresses),
            })}
          />
        </p>
      )}
      {offer && (
        <p>
          <span className="font-semibold">
            {t(narrower === null ? 'reach.gapBetter' : `reach.narrower.${narrower.frees}`)}
          </span>{' '}
          <button
            type="button"
            data-testid="offered-pattern"
            aria-label={t('reach.take', { pattern: offer.shown })}
            onClick={() => onTake(offer.pattern)}
            className="rounded-sm border border-petrol bg-tint px-1.5 font-mono text-[0.95em] font-semibold text-petrol-deep hover:brightness-97 dark:text-ink"
          >
            {offer.shown}
          </button>{' '}
          <Numbers reach={offer.reach} />
        </p>
      )}
      <p className="flex flex-wrap items-baseline gap-x-3 gap-y-0.5">
        <span>{t('reach.beside')}:</span>
        {beside
          .filter(({ pattern }) => pattern !== offered)
          .slice(0, 6)
          .map(({ pattern, shown, reach: other, caution }) => (
            <span key={pattern} className="whitespace-nowrap">
              <button
                type="button"
                aria-label={t('reach.take', { pattern: shown })}
                onClick={() => onTake(pattern)}
                className={clsx(
                  'border-b border-dotted border-current font-mono text-[0.95em] hover:text-ink',
                  caution ? 'text-stop' : 'text-petrol',
                )}
              >
                {shown}
              </button>{' '}
              <Numbers reach={other} />
            </span>
          ))}
      </p>
    </>
  )
}

/** What another pattern would do, in as few words as can be. */
function Numbers({ reach }: { reach: ReachNumbers }) {
  const { t } = useTranslation()
  const split = useSplit()
  const changed = totalOf(reach.letThrough) > 0 ? reach.letThrough : reach.keptBack
  const text = totalOf(changed) === 0 ? t('reach.besideNone') : split(changed)
  return (
    <span className="text-[0.95em]">
      <Sentence text={text} />
    </span>
  )
}
