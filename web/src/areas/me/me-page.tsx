import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { readFactors } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { leave, useSession } from '../../app/session.ts'
import { AreaPage } from '../../parts/area-page.tsx'
import { Button } from '../../parts/buttons.tsx'
import { Sentence } from '../../parts/sentence.tsx'
import { Failed, SkeletonRows } from '../../parts/states.tsx'
import { DevicesCard } from './devices-card.tsx'
import { FactorsCard } from './factors-card.tsx'
import { IdentityCard, useIdentity } from './identity-card.tsx'
import { PasswordCard } from './password-card.tsx'

const useFactors = () =>
  useQuery({
    queryKey: queryKeyOf('me', 'factors'),
    queryFn: ({ signal }) => call(readFactors, { signal }),
  })

/** What is one's own: password, second factors, devices. */
export function MePage() {
  const { t } = useTranslation()
  const { staffer } = useSession()
  const factors = useFactors()
  const identity = useIdentity()
  return (
    <AreaPage title={t('me.title')} lead={<Sentence text={t('me.lead', { signIn: staffer.signIn })} />}>
      {factors.error && !factors.data && (
        <Failed error={factors.error} onAgain={() => void factors.refetch()} />
      )}
      {!factors.data && !factors.error && <SkeletonRows count={4} />}
      {factors.data && (
        <div className="grid items-start gap-3 min-[1080px]:grid-cols-2">
          <FactorsCard factors={factors.data} />
          <div className="grid gap-3">
            <IdentityCard />
            <DevicesCard />
            {identity.data?.passwords && identity.data.hasPassword && <PasswordCard />}
          </div>
        </div>
      )}
    </AreaPage>
  )
}

/** In place of everything, until the second factor is there that the organisation asks for. */
export function FactorFirst() {
  const { t } = useTranslation()
  const client = useQueryClient()
  const factors = useFactors()
  return (
    <main className="mx-auto max-w-2xl px-6 py-12">
      <h1 className="mb-4 font-serif text-[1.5rem] font-semibold">{t('me.first')}</h1>
      {factors.error && <Failed error={factors.error} onAgain={() => void factors.refetch()} />}
      {factors.data && <FactorsCard factors={factors.data} />}
      <Button kind="link" className="mt-6" onClick={() => void leave(client)}>
        {t('me.signOut')}
      </Button>
    </main>
  )
}
