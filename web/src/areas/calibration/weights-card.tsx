import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import type { CalibrationShape, DefaultsChange, Weighting } from '@pendro/contract'
import { useNumbers, useTimes } from '../../app/times.ts'
import { Button } from '../../parts/buttons.tsx'
import { Sentence } from '../../parts/sentence.tsx'
import { useDelayed } from '../../parts/use-delayed.ts'
import { Card } from '../../parts/card.tsx'
import { ApplyBar } from '../../parts/apply-bar.tsx'
import { Replay, useChangeDefaults, useEffectOfDefaults } from '../mailboxes/index.ts'
import { NumberTable } from './number-table.tsx'
import { draftWith, isSameTable, signed } from './weights.ts'

type Weights = CalibrationShape['weights']
type Row = Weights['table'][number]

/** What evidence weighs: as shipped, as it is, and as it would be; what a change would have come to. */
export function WeightsCard({ weights, may }: { weights: Weights; may: boolean }) {
  const { t } = useTranslation()
  const [draft, setDraft] = useState<Weighting>(weights.inUse)
  const [whole, setWhole] = useState(false)
  const change: DefaultsChange | null =
    isSameTable(draft.own, weights.inUse.own) && draft.refit === weights.inUse.refit
      ? null
      : { what: 'weights', was: weights.inUse, to: draft }
  const effect = useEffectOfDefaults(useDelayed(change, 150))
  const changing = useChangeDefaults()
  return (
    <Card title={t('calibration.weights.title')}>
      <Standing weights={weights} />
      <Fitted weights={weights} draft={draft} may={may} onTake={own => setDraft({ ...draft, own })} />
      <Table
        weights={weights}
        draft={draft}
        whole={whole}
        may={may}
        onChange={own => setDraft({ ...draft, own })}
      />
      <p className="mt-2 flex flex-wrap items-baseline gap-x-4 gap-y-1">
        <Button kind="link" onClick={() => setWhole(!whole)}>
          {t(
            whole ? 'calibration.weights.fewer' : may ? 'calibration.weights.set' : 'calibration.weights.all',
          )}
        </Button>
        {may && Object.keys(draft.own).length > 0 && (
          <Button kind="link" onClick={() => setDraft({ own: {}, refit: false })}>
            {t('calibration.weights.reset')}
          </Button>
        )}
      </p>
      <label className="mt-2 flex items-baseline gap-2">
        <input
          type="checkbox"
          checked={draft.refit}
          disabled={!may}
          onChange={({ target }) => setDraft({ ...draft, refit: target.checked })}
          className="accent-petrol"
        />
        {t('calibration.weights.refit')}
      </label>
      {change !== null && (
        <div className="mt-3 border-t border-line pt-3" aria-live="polite">
          {!isSameTable(draft.own, weights.inUse.own) && <Replay effect={effect} />}
          <ApplyBar
            disabled={changing.isPending}
            onApply={reason => changing.mutate({ change, reason })}
            onCancel={() => setDraft(weights.inUse)}
          />
        </div>
      )}
    </Card>
  )
}

/** As shipped, as they are and as they would be: those that differ, or all that may move. */
function Table({
  weights,
  draft,
  whole,
  may,
  onChange,
}: {
  weights: Weights
  draft: Weighting
  whole: boolean
  may: boolean
  onChange: (own: Weighting['own']) => void
}) {
  const { t } = useTranslation()
  const weightOf = ({ finding, shipped }: Row) => draft.own[finding as keyof Weighting['own']] ?? shipped
  const shown = weights.table.filter(row =>
    whole ? row.from !== null : row.weight !== row.shipped || weightOf(row) !== row.weight,
  )
  if (shown.length === 0) return null
  return (
    <div className={whole ? 'max-h-96 overflow-y-auto pr-1' : ''}>
      <NumberTable
        heads={['finding', 'shipped', 'now', 'then'].map(head => t(`calibration.weights.${head}`))}
        rows={shown.map(row => [
          t(`calibration.finding.${row.finding}`, { defaultValue: row.finding }),
          signed(row.shipped),
          signed(row.weight),
          whole && may ? (
            <WeightInput
              row={row}
              weight={weightOf(row)}
              onChange={weight => onChange(draftWith(draft.own, row, weight))}
            />
          ) : (
            <b className={weightOf(row) === row.weight ? 'font-normal' : ''}>{signed(weightOf(row))}</b>
          ),
        ])}
      />
    </div>
  )
}

function Standing({ weights: { inUse, changed } }: { weights: Weights }) {
  const { t } = useTranslation()
  const times = useTimes()
  const count = Object.keys(inUse.own).length
  return (
    <p className="text-ink-2">
      {t('calibration.weights.text')}{' '}
      {count === 0 ? t('calibration.weights.areShipped') : t('calibration.weights.areOwn', { count })}{' '}
      {changed &&
        t(changed.undone ? 'calibration.weights.undone' : 'calibration.weights.changed', {
          by: changed.by,
          at: times.short(changed.at),
        })}
    </p>
  )
}

function Fitted({
  weights: { fit, inUse, least },
  draft,
  may,
  onTake,
}: {
  weights: Weights
  draft: Weighting
  may: boolean
  onTake: (own: Weighting['own']) => void
}) {
  const { t } = useTranslation()
  const { number } = useNumbers()
  if (fit === null) return <p className="mt-2">{t('calibration.weights.few', least)}</p>
  const facts = { lessons: number(fit.lessons), before: fit.before.toFixed(3), after: fit.after.toFixed(3) }
  const isTaken = isSameTable(draft.own, fit.own)
  return (
    <p className="mt-2 mb-2">
      <Sentence text={t(fit.better ? 'calibration.weights.better' : 'calibration.weights.noBetter', facts)} />{' '}
      {may && fit.better && !isTaken && !isSameTable(inUse.own, fit.own) && (
        <Button kind="link" onClick={() => onTake(fit.own)}>
          {t('calibration.weights.take')}
        </Button>
      )}
    </p>
  )
}

function WeightInput({
  row,
  weight,
  onChange,
}: {
  row: Row
  weight: number
  onChange: (weight: number) => void
}) {
  const { t } = useTranslation()
  const name = t(`calibration.finding.${row.finding}`, { defaultValue: row.finding })
  return (
    <input
      type="number"
      step={0.05}
      min={row.from ?? undefined}
      max={row.to ?? undefined}
      value={Number.isNaN(weight) ? '' : weight}
      aria-label={t('calibration.weights.label', { name, from: row.from, to: row.to })}
      title={t('calibration.weights.range', { from: row.from, to: row.to })}
      onChange={({ target }) => onChange(target.valueAsNumber)}
      className={`my-0.5 w-[5.5rem] rounded-md border bg-raised px-1.5 py-0.5 text-right ${
        weight === row.weight ? 'border-line-strong' : 'border-petrol font-bold'
      }`}
    />
  )
}
