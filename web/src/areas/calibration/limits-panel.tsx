import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import {
  areLimits,
  cheapestLimits,
  type CalibrationShape,
  type Costs,
  type DefaultsChange,
} from '@pendro/contract'
import { Button } from '../../parts/buttons.tsx'
import { Sentence } from '../../parts/sentence.tsx'
import { useDelayed } from '../../parts/use-delayed.ts'
import { Card } from '../../parts/card.tsx'
import { ApplyBar } from '../../parts/apply-bar.tsx'
import {
  LimitsFields,
  Replay,
  useChangeDefaults,
  useEffectOfDefaults,
  type Limits,
} from '../mailboxes/index.ts'
import { expectedCounts, mistakesAt } from './expected.ts'
import { ScoreChart } from './score-chart.tsx'
import { ScoreTable } from './score-table.tsx'

const alike = (a: Limits, b: Limits) => JSON.stringify(a) === JSON.stringify(b)
const sum = (counts: readonly number[]) => counts.reduce((total, n) => total + n, 0)

/** The scores with the limits drawn in, what moving one comes to, and what mistakes cost. */
export function LimitsPanel({
  data,
  department,
  may,
}: {
  data: CalibrationShape
  /** '': the organisation. */
  department: string
  may: boolean
}) {
  const { t } = useTranslation()
  const [draft, setDraft] = useState<Limits>(data.limits)
  const [asOrganisation, setAsOrganisation] = useState(false)
  const change = changeOf(data, department, asOrganisation ? null : draft)
  const effect = useEffectOfDefaults(useDelayed(change, 150))
  const changing = useChangeDefaults()
  return (
    <div className="grid items-start gap-3 min-[1080px]:grid-cols-[minmax(0,1fr)_22rem]">
      <Card title={t('calibration.scores.title')} more={<Follow data={data} department={department} />}>
        <ScoreChart data={data} limits={draft} disabled={!may} onChange={setDraft} />
        <p className="mt-2">
          <Counts data={data} limits={draft} />
        </p>
        <ScoreTable data={data} />
        {may && department !== '' && !data.asOrganisation && !asOrganisation && (
          <Button kind="link" className="mt-2" onClick={() => setAsOrganisation(true)}>
            {t('calibration.scores.asOrganisation')}
          </Button>
        )}
        {change !== null && (
          <div className="mt-3 border-t border-line pt-3" aria-live="polite">
            <Replay effect={effect} />
            <ApplyBar
              disabled={changing.isPending}
              onApply={reason => changing.mutate({ change, reason })}
              onCancel={() => {
                setDraft(data.limits)
                setAsOrganisation(false)
              }}
            />
          </div>
        )}
      </Card>
      <Card title={t('calibration.costs.title')}>
        <CostSliders data={data} draft={draft} may={may} onTake={setDraft} />
        {may && <LimitsFields limits={draft} onChange={setDraft} />}
      </Card>
    </div>
  )
}

/** `to` is `null` for a department that is to go by the organisation's limits again. */
function changeOf(data: CalibrationShape, department: string, to: Limits | null): DefaultsChange | null {
  if (to !== null && (alike(to, data.limits) || !areLimits(to))) return null
  if (department !== '')
    return { what: 'department-limits', department, was: data.asOrganisation ? null : data.limits, to }
  return to && { what: 'limits', was: data.limits, to }
}

function Follow({
  data: { mailboxes, unlike, asOrganisation },
  department,
}: {
  data: CalibrationShape
  department: string
}) {
  const { t } = useTranslation()
  return (
    <span className="text-ink-2">
      {department !== '' && asOrganisation
        ? t('calibration.scores.asOthers', { count: mailboxes - unlike })
        : t('calibration.scores.follow', { count: mailboxes - unlike })}
      {unlike > 0 && (
        <>
          {' '}
          {t('calibration.scores.unlike', { count: unlike })}{' '}
          <Link to="/mailboxes?only=unlike" className="border-b border-current text-petrol">
            {t('calibration.scores.unlikeLink')}
          </Link>
        </>
      )}
    </span>
  )
}

/** What these limits would have come to in what people ruled on. */
function Counts({ data, limits }: { data: CalibrationShape; limits: Limits }) {
  const { t } = useTranslation()
  const { held, missed, calls } = mistakesAt(data, limits.junk)
  return (
    <Sentence
      text={t('calibration.scores.counts', {
        held,
        missed,
        days: data.days,
        calls,
      })}
    />
  )
}

const steps = {
  held: [1, 2, 5, 10, 20, 50, 100, 200],
  unnamed: [10, 20, 50, 100, 200, 500, 1000, 2000],
} as const
/** Somebody reads a line of a digest in a second. */
const named = 0.05

function CostSliders({
  data,
  draft,
  may,
  onTake,
}: {
  data: CalibrationShape
  draft: Limits
  may: boolean
  onTake: (limits: Limits) => void
}) {
  const { t } = useTranslation()
  const [at, setAt] = useState({ held: 4, unnamed: 4 })
  const costs: Costs = { held: steps.held[at.held] ?? 20, unnamed: steps.unnamed[at.unnamed] ?? 200, named }
  const cheapest = cheapestLimits(expectedCounts(data), costs)
  const ruled = sum(data.wanted) + sum(data.junk)
  return (
    <>
      <p className="text-ink-2">{t('calibration.costs.text')}</p>
      {(['held', 'unnamed'] as const).map(of => (
        <label key={of} className="mt-3 block">
          <Sentence text={t(`calibration.costs.${of}`, { count: costs[of] })} />
          <input
            type="range"
            min={0}
            max={steps[of].length - 1}
            value={at[of]}
            aria-label={t(`calibration.costs.${of}Label`)}
            aria-valuetext={String(costs[of])}
            onChange={({ target }) => setAt({ ...at, [of]: target.valueAsNumber })}
            className="mt-1 block h-6 w-full accent-petrol"
          />
        </label>
      ))}
      <p className="mt-3" aria-live="polite">
        {cheapest === null ? (
          t('calibration.costs.nothing')
        ) : (
          <>
            <Sentence text={t('calibration.costs.cheapest', { ...cheapest })} />{' '}
            {ruled < 100 && t('calibration.costs.few', { count: ruled })}
          </>
        )}
      </p>
      {cheapest !== null && may && (
        <p className="mt-2 mb-3">
          {alike(cheapest, draft) ? (
            <span className="text-ink-2">{t('calibration.costs.same')}</span>
          ) : (
            <Button onClick={() => onTake(cheapest)}>{t('calibration.costs.take')}</Button>
          )}
        </p>
      )}
    </>
  )
}
