import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { useSearchParams } from 'react-router'
import { readCalibration, type CalibrationShape } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { useSession } from '../../app/session.ts'
import { Sentence } from '../../parts/sentence.tsx'
import { SentenceSlot } from '../../parts/sentence-slot.tsx'
import { Failed, SkeletonRows } from '../../parts/states.tsx'
import { EvidenceCard } from './evidence-card.tsx'
import { LimitsPanel } from './limits-panel.tsx'
import { ReliabilityCard } from './reliability-card.tsx'
import { TeachCard } from './teach-card.tsx'
import { WeeksCard } from './weeks-card.tsx'
import { WordsCard } from './words-card.tsx'

/** What people decided against what the score said, and where the limits are set by it. */
export function CalibrationArea() {
  const { t } = useTranslation()
  const [search, setSearch] = useSearchParams()
  const days = search.get('days') === '90' ? '90' : '30'
  const { data, error, refetch } = useQuery({
    queryKey: queryKeyOf('calibration', days),
    queryFn: ({ signal }) => call(readCalibration, { query: { days }, signal }),
    placeholderData: keepPreviousData,
  })
  return (
    <div
      className="h-full overflow-y-auto px-6 py-4 max-[899px]:px-4"
      tabIndex={0}
      role="region"
      aria-label={t('calibration.title')}
    >
      <h1 className="sr-only">{t('calibration.title')}</h1>
      <p className="mb-3 font-serif text-[1.24rem] leading-snug">
        {t('calibration.text')}{' '}
        <SentenceSlot
          label={t('calibration.days')}
          text={t('calibration.ofDays', { days })}
          value={days}
          options={(['30', '90'] as const).map(value => ({
            value,
            text: t('calibration.ofDays', { days: value }),
          }))}
          onPick={value => setSearch(value === '30' ? {} : { days: value }, { replace: true })}
        />
      </p>
      {error && !data && <Failed error={error} onAgain={() => void refetch()} />}
      {!data && !error && <SkeletonRows count={8} />}
      {data && <Found data={data} />}
    </div>
  )
}

function Found({ data }: { data: CalibrationShape }) {
  const { t } = useTranslation()
  const { staffer } = useSession()
  const may = staffer.role === 'steward'
  return (
    <>
      <p className="mb-3 text-ink-2">
        <Quality data={data} /> {!may && t('calibration.readOnly')}
      </p>
      <LimitsPanel key={JSON.stringify(data.limits)} data={data} may={may} />
      <div className="mt-3 grid items-start gap-3 min-[1080px]:grid-cols-2">
        <div className="grid min-w-0 gap-3">
          <ReliabilityCard bands={data.reliability} />
          <WeeksCard weeks={data.weeks} />
        </div>
        <div className="grid min-w-0 gap-3">
          <TeachCard messages={data.teach} />
          <WordsCard text={data.text} />
          <EvidenceCard evidence={data.evidence} />
        </div>
      </div>
    </>
  )
}

function Quality({ data: { area, brier, logLoss } }: { data: CalibrationShape }) {
  const { t } = useTranslation()
  if (area === null || brier === null || logLoss === null) return <>{t('calibration.quality.none')}</>
  return (
    <>
      <Sentence text={t('calibration.quality.area', { share: (area * 100).toFixed(1) })} />{' '}
      <Sentence text={t('calibration.quality.loss', { brier: brier.toFixed(3), loss: logLoss.toFixed(3) })} />{' '}
      {t('calibration.quality.note')}
    </>
  )
}
