import { AreaPage } from '../../parts/area-page.tsx'
import { keepPreviousData, useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { Link, useSearchParams } from 'react-router'
import { readCalibration, type CalibrationShape } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { mayWrite, useSession, maySteer, looksAfterAll } from '../../app/session.ts'
import { Sentence } from '../../parts/sentence.tsx'
import { SentenceSlot } from '../../parts/sentence-slot.tsx'
import { FirstSteps } from '../../parts/first-steps.tsx'
import { Failed, SkeletonRows } from '../../parts/states.tsx'
import { DriftCard } from './drift-card.tsx'
import { EvidenceCard } from './evidence-card.tsx'
import { LimitsPanel } from './limits-panel.tsx'
import { ReliabilityCard } from './reliability-card.tsx'
import { TeachCard } from './teach-card.tsx'
import { WeeksCard } from './weeks-card.tsx'
import { WeightsCard } from './weights-card.tsx'
import { WordsCard } from './words-card.tsx'

/** What people decided against what the score said, and where the limits are set by it. */
export function CalibrationArea() {
  const { t } = useTranslation()
  const [search, setSearch] = useSearchParams()
  const days = search.get('days') === '90' ? '90' : '30'
  const department = search.get('department') ?? ''
  const show = (is: { days: string; department: string }) =>
    setSearch(
      { ...(is.days === '90' && { days: '90' }), ...(is.department && { department: is.department }) },
      { replace: true },
    )
  const { data, error, refetch } = useQuery({
    queryKey: queryKeyOf('calibration', days, department),
    queryFn: ({ signal }) => call(readCalibration, { query: { days, department }, signal }),
    placeholderData: keepPreviousData,
  })
  return (
    <AreaPage
      title={t('calibration.title')}
      lead={
        <>
          {t('calibration.text')}{' '}
          <SentenceSlot
            label={t('calibration.days')}
            text={t('calibration.ofDays', { days })}
            value={days}
            options={(['30', '90'] as const).map(value => ({
              value,
              text: t('calibration.ofDays', { days: value }),
            }))}
            onPick={value => show({ days: value, department })}
          />{' '}
          <SentenceSlot
            label={t('calibration.whose')}
            text={
              department === '' ? t('calibration.ofEverybody') : t('calibration.ofDepartment', { department })
            }
            value={department}
            options={[
              { value: '', text: t('calibration.ofEverybody') },
              ...(data?.departments ?? []).map(({ name }) => ({
                value: name,
                text: t('calibration.ofDepartment', { department: name }),
              })),
            ]}
            onPick={value => show({ days, department: value })}
          />
        </>
      }
    >
      {error && !data && <Failed error={error} onAgain={() => void refetch()} />}
      {!data && !error && <SkeletonRows count={8} />}
      {data && <Found data={data} department={department} />}
    </AreaPage>
  )
}

function Found({ data, department }: { data: CalibrationShape; department: string }) {
  const { t } = useTranslation()
  const session = useSession()
  const may = maySteer(session)
  return (
    <>
      <p className="mb-3 text-ink-2">
        <Quality data={data} /> {!may && t('calibration.readOnly')}
      </p>
      <Watched data={data} />
      <FirstSteps className="mb-3" />
      <LimitsPanel
        key={JSON.stringify([department, data.limits])}
        data={data}
        department={department}
        may={may}
      />
      <div className="mt-3 grid items-start gap-3 min-[1080px]:grid-cols-2">
        <div className="grid min-w-0 gap-3">
          <ReliabilityCard bands={data.reliability} />
          <WeeksCard weeks={data.weeks} />
          {department === '' && (
            <WeightsCard key={JSON.stringify(data.weights.inUse)} weights={data.weights} may={may} />
          )}
        </div>
        <div className="grid min-w-0 gap-3">
          <TeachCard messages={data.teach} />
          <DriftCard
            findings={data.drift}
            of={{ days: data.days === 90 ? '90' : '30', department }}
            may={mayWrite(session) && looksAfterAll(session)}
          />
          <WordsCard text={data.text} />
          <EvidenceCard evidence={data.evidence} />
        </div>
      </div>
    </>
  )
}

/** While mail is only watched, that it is, and what would have been kept back. */
function Watched({ data: { watching, watched, days } }: { data: CalibrationShape }) {
  const { t } = useTranslation()
  if (!watching && watched === 0) return null
  return (
    <p className="mb-3">
      {watching && <b>{t('calibration.watching')}</b>} {t('calibration.watched', { count: watched, days })}{' '}
      <Link to="/mailboxes/defaults" className="border-b border-current text-petrol">
        {t('calibration.watchingLink')}
      </Link>
    </p>
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
