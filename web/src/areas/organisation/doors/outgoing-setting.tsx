import { useTranslation } from 'react-i18next'
import type { OrganisationSettingsShape } from '@pendro/contract'
import { Line, Lines, OneOf } from '../fields.tsx'
import { SettingCard } from '../setting-card.tsx'

const modes = ['off', 'relay', 'copy'] as const

/** Whether Pendro sees what colleagues send, and by whom it comes. */
export function OutgoingCard({ data: { outgoing }, may }: { data: OrganisationSettingsShape; may: boolean }) {
  const { t } = useTranslation()
  return (
    <SettingCard what="outgoing" saved={outgoing} may={may}>
      {(draft, onChange) => (
        <>
          <OneOf
            label={t('organisation.outgoing.mode')}
            all={modes}
            chosen={draft.mode}
            nameOf={mode => t(`organisation.outgoing.modes.${mode}`)}
            onChange={mode => onChange({ ...draft, mode })}
          />
          {draft.mode !== 'off' && (
            <Lines
              label={t('organisation.outgoing.servers')}
              help={t('organisation.outgoing.serversHelp')}
              values={draft.servers}
              onChange={servers => onChange({ ...draft, servers })}
            />
          )}
          {draft.mode === 'copy' && (
            <Line
              label={t('organisation.outgoing.journal')}
              help={t('organisation.outgoing.journalHelp')}
              value={draft.journal}
              onChange={journal => onChange({ ...draft, journal: journal.trim() })}
            />
          )}
        </>
      )}
    </SettingCard>
  )
}
