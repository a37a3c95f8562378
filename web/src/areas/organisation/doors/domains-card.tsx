import type { ReactNode } from 'react'
import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { readDomains, type DomainSaysShape } from '@pendro/contract'
import { call } from '../../../app/api.ts'
import { queryKeyOf } from '../../../app/query-keys.ts'
import { Button } from '../../../parts/buttons.tsx'
import { Card } from '../../../parts/card.tsx'
import { Failed, SkeletonRows } from '../../../parts/states.tsx'

/** What DNS says of our own domains, and what follows for mail that claims to be ours. */
export function DomainsCard() {
  const { t } = useTranslation()
  const { data, error, isFetching, refetch } = useQuery({
    queryKey: queryKeyOf('doors', 'domains'),
    queryFn: ({ signal }) => call(readDomains, { signal }),
    staleTime: 60_000,
  })
  return (
    <Card
      title={t('doors.dns.title')}
      more={
        data?.lookedUp && (
          <Button kind="link" disabled={isFetching} onClick={() => void refetch()}>
            {t(isFetching ? 'doors.dns.asked' : 'doors.dns.again')}
          </Button>
        )
      }
    >
      {error && !data && <Failed error={error} onAgain={() => void refetch()} />}
      {!data && !error && <SkeletonRows count={3} />}
      {data && !data.lookedUp && <p>{t('doors.dns.off')}</p>}
      {data?.lookedUp && data.domains.length === 0 && <p>{t('doors.dns.none')}</p>}
      <ul className="divide-y divide-line">
        {data?.domains.map(one => (
          <li key={one.domain} className="py-2 first:pt-0 last:pb-0">
            <Domain says={one} />
          </li>
        ))}
      </ul>
    </Card>
  )
}

const bad: ReadonlySet<string> = new Set(['none', 'open', 'several', 'broken', 'revoked'])

function Domain({ says: { domain, mx, spf, dmarc, keys } }: { says: DomainSaysShape }) {
  const { t } = useTranslation()
  return (
    <>
      <p className="font-mono text-[0.94em] font-semibold break-all">{domain}</p>
      <dl className="mt-1 grid grid-cols-[auto_minmax(0,1fr)] gap-x-3 gap-y-1">
        <Line name="mx" isBad={bad.has(mx.state)}>
          {t(`doors.dns.mx.${mx.state}`, { hosts: mx.hosts.join(', ') })}
        </Line>
        <Line name="spf" isBad={bad.has(spf.state)} text={spf.text}>
          {t(`doors.dns.spf.${spf.state}`)}
        </Line>
        <Line name="dmarc" isBad={bad.has(dmarc.state)} text={dmarc.text}>
          {t(`doors.dns.dmarc.${dmarc.state}`)}{' '}
          {dmarc.share < 100 && t('doors.dns.share', { share: dmarc.share })}
        </Line>
        {keys.length === 0 && <Line name="key">{t('doors.dns.noKey')}</Line>}
        {keys.map(({ selector, state }) => (
          <Line key={selector} name="key" isBad={bad.has(state)}>
            {t(`doors.dns.key.${state}`, { selector })}
          </Line>
        ))}
      </dl>
    </>
  )
}

function Line({
  name,
  isBad = false,
  text = '',
  children,
}: {
  name: 'mx' | 'spf' | 'dmarc' | 'key'
  isBad?: boolean
  text?: string
  children: ReactNode
}) {
  const { t } = useTranslation()
  return (
    <>
      <dt className="text-ink-2">{t(`doors.dns.names.${name}`)}</dt>
      <dd className={isBad ? 'text-stop' : ''}>
        {children}
        {text !== '' && <span className="block font-mono text-[0.86em] break-all text-ink-2">{text}</span>}
      </dd>
    </>
  )
}
