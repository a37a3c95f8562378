import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import type { OrganisationSettingsShape } from '@pendro/contract'
import { maySteer, useSession } from '../../../app/session.ts'
import { AreaPage } from '../../../parts/area-page.tsx'
import { Failed, SkeletonRows } from '../../../parts/states.tsx'
import { useSettings } from '../use-settings.ts'
import { DoorsCard, VisitsCard, WaysCard } from './cards.tsx'
import { CertificateCard } from './certificate-card.tsx'
import { DomainsCard } from './domains-card.tsx'
import { GatewaysCards } from './gateways-setting.tsx'
import { OutgoingCard } from './outgoing-setting.tsx'
import { PeersCard } from './peers-setting.tsx'
import { RoutesCard } from './routes-setting.tsx'
import { TrialCard } from './trial-card.tsx'
import { useDoors } from './use-doors.ts'

/** Where mail comes in and goes on to: what goes on there, what is wrong, and how it is set. */
export function DoorsPage() {
  const { t } = useTranslation()
  const { data, error, refetch } = useDoors()
  const settings = useSettings()
  const may = maySteer(useSession())
  const open = data?.doors.filter(({ port }) => port !== null).length ?? 0
  return (
    <AreaPage
      title={t('doors.title')}
      lead={
        <>
          {data && t('doors.lead', { count: open, waiting: t('doors.waiting', { count: data.waiting }) })}{' '}
          <Link to="/organisation" className="border-b border-current text-petrol">
            {t('doors.back')}
          </Link>
        </>
      }
    >
      {error && !data && <Failed error={error} onAgain={() => void refetch()} />}
      {!data && !error && <SkeletonRows count={6} />}
      {data && (
        <div className="grid items-start gap-3 min-[1080px]:grid-cols-[minmax(0,5fr)_minmax(0,4fr)]">
          <div className="grid min-w-0 gap-3">
            <DoorsCard doors={data.doors} />
            <VisitsCard visits={data.visits} />
          </div>
          <div className="grid min-w-0 gap-3">
            <WaysCard ways={data.ways} />
            <TrialCard may={may} />
            <CertificateCard certificate={data.certificate} />
            <DomainsCard />
          </div>
        </div>
      )}
      {settings.data && <DoorSettings data={settings.data} may={may} />}
    </AreaPage>
  )
}

function DoorSettings({ data, may }: { data: OrganisationSettingsShape; may: boolean }) {
  const { t } = useTranslation()
  return (
    <>
      <h2 className="mt-6 mb-2 font-serif text-[1.24rem] font-semibold">{t('doors.settings')}</h2>
      <div className="grid items-start gap-3 min-[1080px]:grid-cols-2">
        <div className="grid min-w-0 gap-3">
          <GatewaysCards data={data} may={may} />
          <PeersCard data={data} may={may} />
        </div>
        <div className="grid min-w-0 gap-3">
          <OutgoingCard data={data} may={may} />
          <RoutesCard data={data} may={may} />
        </div>
      </div>
    </>
  )
}
