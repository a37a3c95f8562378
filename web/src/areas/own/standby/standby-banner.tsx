import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import { useTimes } from '../../../app/times.ts'
import { useStandby } from './use-standby.ts'

/** That the mail store is away, and where to go on; nothing while it is there. */
export function StandbyBanner() {
  const { t } = useTranslation()
  const times = useTimes()
  const { data } = useStandby()
  if (!data || data.state === 'closed') return null
  return (
    <p role="status" className="mb-3 rounded-lg border border-amber/50 bg-amber-tint px-3 py-2">
      <b>
        {data.state === 'open'
          ? t('own.standby.away', { time: data.since === null ? '' : times.short(data.since) })
          : t('own.standby.back')}
      </b>{' '}
      <Link
        to="/own/standby"
        className="inline-block min-h-8 border-b border-current font-semibold text-petrol"
      >
        {t('own.standby.goOn')}
      </Link>
    </p>
  )
}
