import { useTranslation } from 'react-i18next'
import type { CalibrationShape } from '@pendro/contract'
import { useNumbers } from '../../app/times.ts'
import { NumberTable } from './number-table.tsx'

const tens = Array.from({ length: 10 }, (_, i) => i * 10)

/** The chart in numbers, by tens. */
export function ScoreTable({ data }: { data: CalibrationShape }) {
  const { t } = useTranslation()
  const { number } = useNumbers()
  const within = (counts: readonly number[], from: number) =>
    number(counts.slice(from, from === 90 ? 101 : from + 10).reduce((sum, n) => sum + n, 0))
  return (
    <details className="mt-2">
      <summary className="cursor-pointer py-1 text-ink-2">{t('calibration.scores.table')}</summary>
      <NumberTable
        heads={[
          t('calibration.scores.score'),
          t('calibration.scores.wanted'),
          t('calibration.scores.junk'),
          t('calibration.scores.unruled'),
        ]}
        rows={tens.map(from => [
          `${from}–${from + 10}`,
          within(data.wanted, from),
          within(data.junk, from),
          within(data.unruled, from),
        ])}
      />
    </details>
  )
}
