import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { endDevice, listDevices, type Device } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { useTimes } from '../../app/times.ts'
import { useAct } from '../../app/use-act.ts'
import { Button } from '../../parts/buttons.tsx'
import { Card } from '../../parts/card.tsx'
import { SkeletonRows } from '../../parts/states.tsx'
import { browserOf } from './browser-of.ts'

/** Where one is signed in, each to be ended by itself. */
export function DevicesCard() {
  const { t } = useTranslation()
  const { data } = useQuery({
    queryKey: queryKeyOf('me', 'devices'),
    queryFn: ({ signal }) => call(listDevices, { signal }),
  })
  return (
    <Card title={t('me.devices.title')}>
      {!data && <SkeletonRows count={2} />}
      <ul>
        {data?.devices.map(device => (
          <Row key={device.id} device={device} />
        ))}
      </ul>
    </Card>
  )
}

function Row({ device: { id, agent, openedAt, usedAt, own } }: { device: Device }) {
  const { t } = useTranslation()
  const times = useTimes()
  const ending = useAct({
    send: (of: number) => call(endDevice, { params: { id: of }, body: {} }),
    notice: () => ({ text: t('me.devices.ended') }),
    makes: 'me-changed',
  })
  const named = browserOf(agent)
  return (
    <li className="flex flex-wrap items-baseline justify-between gap-x-4 border-t border-line py-2">
      <span>
        <b className="font-semibold">
          {named ? t('me.devices.named', named) : t('me.devices.unknown')}
          {own && ` · ${t('me.devices.own')}`}
        </b>
        <span className="block text-[0.95rem] text-ink-2">
          {t('me.devices.opened', { at: times.short(openedAt) })} ·{' '}
          {t('me.devices.used', { at: times.short(usedAt) })}
        </span>
      </span>
      {!own && (
        <Button kind="link" disabled={ending.isPending} onClick={() => ending.mutate(id)}>
          {t('me.devices.end')}
        </Button>
      )}
    </li>
  )
}
