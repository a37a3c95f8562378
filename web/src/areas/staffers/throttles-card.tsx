import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { clearThrottle, listThrottles, type Throttle } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { useTimes } from '../../app/times.ts'
import { useAct } from '../../app/use-act.ts'
import { Button } from '../../parts/buttons.tsx'
import { Card } from '../../parts/card.tsx'

/** Who has to wait after too many tries to sign in, and the way to let them go on. */
export function ThrottlesCard() {
  const { t } = useTranslation()
  const { data } = useQuery({
    queryKey: queryKeyOf('staffers', 'throttles'),
    queryFn: ({ signal }) => call(listThrottles, { signal }),
    // They come and end by themselves.
    refetchInterval: 60_000,
  })
  if (!data) return null
  return (
    <Card title={t('staffers.throttles.title')}>
      <p className="text-ink-2">{t('staffers.throttles.text')}</p>
      {data.throttles.length === 0 && <p className="mt-2">{t('staffers.throttles.none')}</p>}
      <ul className="mt-2">
        {data.throttles.map(one => (
          <Row key={`${one.kind} ${one.account}`} throttle={one} />
        ))}
      </ul>
    </Card>
  )
}

function Row({ throttle: { kind, account, strange, until } }: { throttle: Throttle }) {
  const { t } = useTranslation()
  const times = useTimes()
  const clearing = useAct({
    send: () => call(clearThrottle, { body: { kind, account } }),
    notice: () => ({ text: t('staffers.throttles.cleared', { account }) }),
    makes: 'staffers-changed',
  })
  return (
    <li className="flex flex-wrap items-baseline justify-between gap-x-4 border-t border-line py-2">
      <span>
        <b className="font-semibold">{account}</b>
        <span className="block text-[0.95rem] text-ink-2">
          {[
            t(`staffers.throttles.${kind}`),
            t(strange ? 'staffers.throttles.strange' : 'staffers.throttles.own'),
            t('staffers.throttles.until', { at: times.short(until) }),
          ].join(' · ')}
        </span>
      </span>
      <Button kind="link" disabled={clearing.isPending} onClick={() => clearing.mutate()}>
        {t('staffers.throttles.clear')}
      </Button>
    </li>
  )
}
