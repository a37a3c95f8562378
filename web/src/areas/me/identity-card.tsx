import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { connectIdentity, dropIdentity, readIdentity } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { useTimes } from '../../app/times.ts'
import { useAct } from '../../app/use-act.ts'
import { Button } from '../../parts/buttons.tsx'
import { Card } from '../../parts/card.tsx'
import { leaveFor } from '../sign-in/identity.tsx'

/** Whether whoever is signed in comes by the identity provider, and by a password. */
export const useIdentity = () =>
  useQuery({
    queryKey: queryKeyOf('me', 'identity'),
    queryFn: ({ signal }) => call(readIdentity, { signal }),
  })

/** The account at the identity provider: connected, or not yet; nothing where the organisation has none. */
export function IdentityCard() {
  const { t } = useTranslation()
  const times = useTimes()
  const { data } = useIdentity()
  const connecting = useAct({
    send: () => call(connectIdentity, { body: { from: '/me' } }),
    onDone: leaveFor('staffer'),
  })
  const dropping = useAct({
    send: () => call(dropIdentity),
    notice: () => ({ text: t('me.identity.dropped') }),
    makes: 'me-changed',
  })
  if (!data || data.provider === '') return null
  const { provider, connectedAt, byGroups } = data
  return (
    <Card title={provider}>
      <p>
        {connectedAt === null
          ? t('me.identity.not')
          : t(byGroups ? 'me.identity.byGroups' : 'me.identity.since', { day: times.day(connectedAt) })}
      </p>
      {connectedAt === null && (
        <Button
          className="mt-3"
          disabled={connecting.isPending || connecting.isSuccess}
          onClick={() => connecting.mutate()}
        >
          {t('me.identity.connect')}
        </Button>
      )}
      {connectedAt !== null && !byGroups && (
        <Button kind="link" className="mt-3" disabled={dropping.isPending} onClick={() => dropping.mutate()}>
          {t('me.identity.drop')}
        </Button>
      )}
    </Card>
  )
}
