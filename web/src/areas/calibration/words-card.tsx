import { useTranslation } from 'react-i18next'
import type { CalibrationShape } from '@pendro/contract'
import { useNumbers, useTimes } from '../../app/times.ts'
import { Sentence } from '../../parts/sentence.tsx'
import { Card } from '../../parts/card.tsx'

/** What the words have taught, and how far they may speak. */
export function WordsCard({
  text: { wanted, junk, bound, linear, fittedAt },
}: {
  text: CalibrationShape['text']
}) {
  const { t } = useTranslation()
  const { number } = useNumbers()
  const times = useTimes()
  return (
    <Card title={t('calibration.words.title')}>
      <p>
        <Sentence
          text={t('calibration.words.lessons', {
            wanted: number(wanted),
            junk: number(junk),
            bound: bound.toFixed(1),
          })}
        />{' '}
        {t(linear ? 'calibration.words.both' : 'calibration.words.alone')}{' '}
        {fittedAt && t('calibration.words.fitted', { at: times.short(fittedAt) })}
      </p>
    </Card>
  )
}
