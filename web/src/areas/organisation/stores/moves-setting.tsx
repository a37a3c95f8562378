import { useTranslation } from 'react-i18next'
import type { OrganisationSettingsShape } from '@pendro/contract'
import { Choice } from '../fields.tsx'
import { SettingCard } from '../setting-card.tsx'

/** Whether Pendro learns from what colleagues move in their mail programs. */
export function MovesCard({ data: { moves }, may }: { data: OrganisationSettingsShape; may: boolean }) {
  const { t } = useTranslation()
  return (
    <SettingCard what="moves" saved={moves} may={may}>
      {(draft, onChange) => (
        <Choice
          label={t('organisation.moves.learn')}
          chosen={draft.learn}
          onChange={learn => onChange({ learn })}
        />
      )}
    </SettingCard>
  )
}
