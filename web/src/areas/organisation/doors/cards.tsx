import { useTranslation } from 'react-i18next'
import type { DoorShape, VisitShape, WayShape } from '@pendro/contract'
import { useTimes } from '../../../app/times.ts'
import { Card } from '../../../parts/card.tsx'
import { TrafficLine } from './traffic-line.tsx'

/** Where mail comes in. */
export function DoorsCard({ doors }: { doors: readonly DoorShape[] }) {
  const { t } = useTranslation()
  const shut = doors.filter(({ wanted }) => !wanted)
  return (
    <Card title={t('doors.in.title')}>
      <ul className="divide-y divide-line">
        {doors
          .filter(({ wanted }) => wanted)
          .map(door => (
            <li key={door.name} className="py-2 first:pt-0 last:pb-0">
              <p className="flex flex-wrap items-baseline justify-between gap-x-4">
                <span className="font-semibold">{t(`doors.in.name.${door.name}`)}</span>
                <DoorState door={door} />
              </p>
              <TrafficLine of={door} />
            </li>
          ))}
      </ul>
      {shut.length > 0 && (
        <p className="mt-2 border-t border-line pt-2 text-ink-2">
          {t('doors.in.notSet', {
            names: shut.map(({ name }) => `“${t(`doors.in.name.${name}`)}”`).join(', '),
          })}
        </p>
      )}
    </Card>
  )
}

function DoorState({ door: { port, connected } }: { door: DoorShape }) {
  const { t } = useTranslation()
  if (port === null) return <span className="text-stop">{t('doors.in.needsCertificate')}</span>
  return (
    <span>
      {t('doors.in.open', { port })},{' '}
      {connected === 0 ? t('doors.in.nobody') : t('doors.in.connected', { count: connected })}
    </span>
  )
}

/** Where mail goes on to. */
export function WaysCard({ ways }: { ways: readonly WayShape[] }) {
  const { t } = useTranslation()
  const times = useTimes()
  return (
    <Card title={t('doors.out.title')}>
      <ul className="divide-y divide-line">
        {ways.map(way => (
          <li key={`${way.host} ${way.purpose}`} className="py-2 first:pt-0 last:pb-0">
            <p className="flex flex-wrap items-baseline justify-between gap-x-4">
              <span className="font-semibold">
                {t(`doors.out.purpose.${way.purpose}`, {
                  name: way.name,
                  domains: way.domains.join(', '),
                })}
              </span>
              <span>
                <span className="font-mono text-[0.94em] break-all">{way.host}</span>,{' '}
                {way.protocol.toUpperCase()} {t(`doors.out.tls.${way.tls}`)}
              </span>
            </p>
            <TrafficLine of={way} />
            {way.certificateUntil !== null && (
              <p>{t('doors.out.certificate', { day: times.day(way.certificateUntil) })}</p>
            )}
          </li>
        ))}
      </ul>
    </Card>
  )
}

/** The last ten who connected. */
export function VisitsCard({ visits }: { visits: readonly VisitShape[] }) {
  const { t } = useTranslation()
  const times = useTimes()
  const head = 'border-b border-line px-2 pb-1 text-left font-semibold first:pl-0'
  const cell = 'border-b border-line px-2 py-1 align-baseline first:pl-0'
  return (
    <Card title={t('doors.visits.title')}>
      {visits.length === 0 && <p className="text-ink-2">{t('doors.visits.none')}</p>}
      {visits.length > 0 && (
        <div className="overflow-x-auto" tabIndex={0} role="region" aria-label={t('doors.visits.title')}>
          <table className="w-full min-w-[34rem]">
            <thead>
              <tr>
                {(['at', 'who', 'helo', 'said'] as const).map(column => (
                  <th key={column} scope="col" className={head}>
                    {t(`doors.visits.${column}`)}
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {visits.map(visit => (
                <tr key={visit.id}>
                  <td className={`${cell} whitespace-nowrap tabular-nums`}>{times.clock(visit.at)}</td>
                  <td className={cell}>
                    <span className="font-mono text-[0.94em]">{visit.ip}</span>{' '}
                    <span className={visit.listed ? 'text-wanted' : 'text-ink-2'}>
                      {t(visit.listed ? 'doors.visits.listed' : 'doors.visits.unlisted')}
                    </span>
                  </td>
                  <td className={`${cell} break-words`}>
                    {visit.helo}{' '}
                    <span className="whitespace-nowrap text-ink-2">
                      {visit.tls || t('doors.visits.plain')}
                    </span>
                  </td>
                  <td className={cell}>
                    <Outcome visit={visit} />
                  </td>
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
    </Card>
  )
}

function Outcome({ visit: { taken, answer, open } }: { visit: VisitShape }) {
  const { t } = useTranslation()
  const parts = [
    ...(open ? [t('doors.visits.isOpen')] : []),
    ...(taken > 0 ? [t('doors.visits.taken', { count: taken })] : []),
    ...(taken === 0 && answer === '' && !open ? [t('doors.visits.nothing')] : []),
  ]
  return (
    <>
      {parts.join(', ')}
      {answer !== '' && <span className="block break-words text-stop">{answer}</span>}
    </>
  )
}
