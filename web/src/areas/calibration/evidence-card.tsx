import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import type { CalibrationShape } from '@pendro/contract'
import { useNumbers } from '../../app/times.ts'
import { Button } from '../../parts/buttons.tsx'
import { Card } from '../../parts/card.tsx'
import { NumberTable } from './number-table.tsx'
import { signed } from './weights.ts'

const first = 10

/** How often each kind of evidence was there, right, and decisive. */
export function EvidenceCard({ evidence }: { evidence: CalibrationShape['evidence'] }) {
  const { t } = useTranslation()
  const { number } = useNumbers()
  const [whole, setWhole] = useState(false)
  if (evidence.length === 0)
    return (
      <Card title={t('calibration.evidence.title')}>
        <p className="text-ink-2">{t('calibration.evidence.none')}</p>
      </Card>
    )
  const shown = whole ? evidence : evidence.slice(0, first)
  return (
    <Card title={t('calibration.evidence.title')}>
      <p className="mb-2 text-ink-2">{t('calibration.evidence.text')}</p>
      <NumberTable
        heads={['finding', 'weight', 'wanted', 'junk', 'right', 'decisive'].map(head =>
          t(`calibration.evidence.${head}`),
        )}
        rows={shown.map(({ finding, weight, wanted, junk, right, decisive }) => [
          t(`calibration.finding.${finding}`, { defaultValue: finding }),
          signed(weight),
          number(wanted),
          number(junk),
          weight === 0 ? '–' : `${Math.round((right / Math.max(1, wanted + junk)) * 100)} %`,
          number(decisive),
        ])}
      />
      {shown.length < evidence.length && (
        <Button kind="link" className="mt-2" onClick={() => setWhole(true)}>
          {t('calibration.evidence.more', { count: evidence.length })}
        </Button>
      )}
    </Card>
  )
}
