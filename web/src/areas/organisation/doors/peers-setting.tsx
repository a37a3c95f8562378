import { useTranslation } from 'react-i18next'
import type { OrganisationSettingsShape } from '@pendro/contract'
import { TextField } from '../../../parts/field.tsx'
import { Choices } from '../fields.tsx'
import { SettingCard } from '../setting-card.tsx'

const kinds = ['listed', 'unlisted'] as const
const limits = [
  ['connections', 1, 200],
  ['perMinute', 1, 100_000],
  ['recipients', 100, 1000],
  ['megabytes', 1, 1000],
] as const

/** Who may hand mail over, and how much from one address. */
export function PeersCard({ data: { peers }, may }: { data: OrganisationSettingsShape; may: boolean }) {
  const { t } = useTranslation()
  return (
    <SettingCard what="peers" saved={peers} may={may}>
      {(draft, onChange) => (
        <>
          <Choices
            all={['refused'] as const}
            chosen={draft.others === 'refused' ? ['refused'] : []}
            nameOf={() => t('organisation.peers.others')}
            onChange={chosen => onChange({ ...draft, others: chosen.length > 0 ? 'refused' : 'limited' })}
          />
          {kinds
            .filter(kind => kind === 'listed' || draft.others === 'limited')
            .map(kind => (
              <fieldset key={kind} className="mt-3 min-w-0">
                <legend className="font-semibold">{t(`organisation.peers.${kind}`)}</legend>
                <div className="grid grid-cols-[repeat(auto-fit,minmax(9.5rem,1fr))] items-end gap-x-3">
                  {limits.map(([limit, min, max]) => (
                    <TextField
                      key={limit}
                      label={t(`organisation.peers.${limit}`)}
                      className="mt-2"
                      type="number"
                      min={min}
                      max={max}
                      value={draft[kind][limit]}
                      onChange={({ target }) =>
                        onChange({ ...draft, [kind]: { ...draft[kind], [limit]: target.valueAsNumber || 0 } })
                      }
                    />
                  ))}
                </div>
              </fieldset>
            ))}
        </>
      )}
    </SettingCard>
  )
}
