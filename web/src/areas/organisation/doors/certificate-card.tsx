import { useTranslation } from 'react-i18next'
import type { z } from 'zod'
import type { readDoors } from '@pendro/contract'
import { useTimes } from '../../../app/times.ts'
import { Card } from '../../../parts/card.tsx'

/** Somebody has to get a new one in time. */
const soonDays = 30

/** What the doors show, and how long it counts. */
export function CertificateCard({
  certificate: { state, problem, detail, until },
}: {
  certificate: z.output<typeof readDoors.response>['certificate']
}) {
  const { t } = useTranslation()
  const times = useTimes()
  const left = until === null ? 0 : times.daysLeft(until)
  return (
    <Card title={t('doors.certificate.title')}>
      {state === 'off' && <p>{t('doors.certificate.off')}</p>}
      {until !== null && left > soonDays && <p>{t('doors.certificate.good', { day: times.day(until) })}</p>}
      {until !== null && left <= soonDays && (
        <p className="text-stop">{t('doors.certificate.soon', { count: left, day: times.day(until) })}</p>
      )}
      {problem !== null && (
        <p className="text-stop">
          {t('doors.certificate.bad')} {t(`doors.certificate.problem.${problem}`, { detail })}
        </p>
      )}
    </Card>
  )
}
