import { useTranslation } from 'react-i18next'
import { accountAt, type OrganisationSettingsShape } from '@pendro/contract'
import { TextField } from '../../../parts/field.tsx'
import { Choice, Line } from '../fields.tsx'
import { SettingCard } from '../setting-card.tsx'
import { SecretLine } from './secret-line.tsx'

/** Whether colleagues can go on while their mail store is away, and how soon. */
export function StandbyCard({ data: { standby }, may }: { data: OrganisationSettingsShape; may: boolean }) {
  const { t } = useTranslation()
  return (
    <SettingCard what="standby" saved={standby} may={may}>
      {(draft, onChange) => {
        const account = URL.canParse(draft.webhook) ? accountAt(draft.webhook, 'webhook') : null
        return (
          <>
            <Choice
              label={t('organisation.standby.on')}
              chosen={draft.on}
              onChange={on => onChange({ ...draft, on })}
            />
            <TextField
              label={t('organisation.standby.after')}
              className="mt-2 max-w-[20rem]"
              type="number"
              min={1}
              max={1440}
              value={draft.after || ''}
              onChange={({ target }) => onChange({ ...draft, after: target.valueAsNumber || 0 })}
            />
            <Line
              label={t('organisation.standby.webhook')}
              help={t('organisation.standby.webhookHelp')}
              value={draft.webhook}
              onChange={webhook => onChange({ ...draft, webhook: webhook.trim() })}
            />
            {account && <SecretLine account={account} may={may} />}
          </>
        )
      }}
    </SettingCard>
  )
}
