import { useTranslation } from 'react-i18next'
import type { DoorShape } from '@pendro/contract'
import { useNumbers, useTimes } from '../../../app/times.ts'

type Traffic = Pick<DoorShape, 'taken' | 'refused' | 'later' | 'takenAt' | 'problemAt' | 'problem' | 'advice'>

/** What went through today, and what was wrong last, with what to do. */
export function TrafficLine({ of }: { of: Traffic }) {
  const { t } = useTranslation()
  const times = useTimes()
  const { number } = useNumbers()
  const { taken, refused, later, takenAt, problemAt, problem, advice } = of
  const parts = [
    ...(taken > 0 ? [t('doors.today.taken', { count: taken, n: number(taken) })] : []),
    ...(refused > 0 ? [t('doors.today.refused', { count: refused })] : []),
    ...(later > 0 ? [t('doors.today.later', { count: later })] : []),
    ...(takenAt === null ? [] : [t('doors.today.last', { at: times.short(takenAt) })]),
  ]
  const worksAgain = problemAt !== null && takenAt !== null && takenAt > problemAt
  return (
    <>
      <p className="text-ink-2">{parts.length > 0 ? parts.join(', ') : t('doors.today.none')}</p>
      {problemAt !== null && problem !== '' && (
        <div className={worksAgain ? 'text-ink-2' : 'text-stop'}>
          <p className="break-words">{t('doors.problem', { at: times.short(problemAt), problem })}</p>
          <p>{worksAgain ? t('doors.worksAgain') : advice !== null && t(`doors.advice.${advice}`)}</p>
        </div>
      )}
    </>
  )
}
