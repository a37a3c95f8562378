import { useTranslation } from 'react-i18next'
import type { OrganisationSettingsShape } from '@pendro/contract'
import { Lines } from '../fields.tsx'
import { SettingCard } from '../setting-card.tsx'

/** Whose word is believed, and where mail stores connect from. */
export function GatewaysCards({
  data: { gateways, stores },
  may,
}: {
  data: OrganisationSettingsShape
  may: boolean
}) {
  const { t } = useTranslation()
  return (
    <>
      <SettingCard what="gateways" saved={gateways} may={may}>
        {(draft, onChange) =>
          (['trustedHosts', 'networks', 'arcSealers'] as const).map(of => (
            <Lines
              key={of}
              label={t(`organisation.gateways.${of}`)}
              help={t(`organisation.gateways.${of}Help`)}
              values={draft[of]}
              onChange={values => onChange({ ...draft, [of]: values })}
            />
          ))
        }
      </SettingCard>
      <SettingCard what="stores" saved={stores} may={may}>
        {(draft, onChange) => (
          <Lines label={t('organisation.stores.networks')} values={draft} onChange={onChange} />
        )}
      </SettingCard>
    </>
  )
}
