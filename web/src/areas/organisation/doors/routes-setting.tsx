import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import type { OrganisationSettingsShape } from '@pendro/contract'
import { SettingCard } from '../setting-card.tsx'
import { Hosts } from './hosts.tsx'

/** The servers that mail goes out by, in the order they are tried; mail stores have a page of their own. */
export function RoutesCard({ data: { routes }, may }: { data: OrganisationSettingsShape; may: boolean }) {
  const { t } = useTranslation()
  return (
    <SettingCard what="routes" saved={routes} may={may}>
      {(draft, onChange) => (
        <>
          <Hosts
            title={t('organisation.routes.smartHosts')}
            none={t('organisation.routes.noSmartHost')}
            hosts={draft.smartHosts}
            may={may}
            onChange={smartHosts => onChange({ ...draft, smartHosts })}
          />
          <p className="mt-3">
            <Link to="/organisation/stores" className="border-b border-current font-semibold text-petrol">
              {t('organisation.routes.toStores', { count: routes.stores.length })}
            </Link>
          </p>
        </>
      )}
    </SettingCard>
  )
}
