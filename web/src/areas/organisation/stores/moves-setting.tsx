import { useTranslation } from 'react-i18next'
import type { OrganisationSettingsShape } from '@pendro/contract'
import { Checkbox } from '../../../parts/checkbox.tsx'
import { SettingCard } from '../setting-card.tsx'

/** Whether Pendro learns from what colleagues move in their mail programs. */
export function MovesCard({ data: { moves }, may }: { data: OrganisationSettingsShape; may: boolean }) {
  const { t } = useTranslation()
  return (
    <SettingCard what="moves" saved={moves} may={may}>
      {(draft, onChange) => (
        <label className="flex cursor-pointer items-center gap-2">
          <Checkbox
            checked={draft.learn}
            label={t('organisation.moves.learn')}
            onChange={learn => onChange({ learn })}
          />
          <span>{t('organisation.moves.learn')}</span>
        </label>
      )}
    </SettingCard>
  )
}
