import { useTranslation } from 'react-i18next'
import { ownParts, type OrganisationSettingsShape, type OwnMay } from '@pendro/contract'
import { Button } from '../../parts/buttons.tsx'
import { inputStyle } from '../../parts/field.tsx'
import { Choices } from './fields.tsx'
import { SettingCard } from './setting-card.tsx'
import { useDepartments } from './use-settings.ts'

type Setting = OrganisationSettingsShape['own-pages']
type Unlike = Setting['departments'][number]

/** What colleagues may do on their own pages, and departments that differ. */
export function OwnPagesCard({
  data: { 'own-pages': saved },
  may,
}: {
  data: OrganisationSettingsShape
  may: boolean
}) {
  const { t } = useTranslation()
  return (
    <SettingCard what="own-pages" saved={saved} may={may}>
      {(draft, onChange) => (
        <>
          <Parts may={draft.all} onChange={all => onChange({ ...draft, all })} />
          <p className="mt-3 font-semibold">{t('organisation.own-pages.departments')}</p>
          <ul>
            {draft.departments.map((one, i) => (
              <DepartmentLine
                key={i}
                line={one}
                place={i + 1}
                onChange={changed =>
                  onChange({
                    ...draft,
                    departments: draft.departments.map((was, at) => (at === i ? changed : was)),
                  })
                }
                onRemove={() =>
                  onChange({ ...draft, departments: draft.departments.filter((_, at) => at !== i) })
                }
              />
            ))}
          </ul>
          <Button
            className="mt-2"
            onClick={() =>
              onChange({ ...draft, departments: [...draft.departments, { department: '', may: draft.all }] })
            }
          >
            {t('organisation.own-pages.add')}
          </Button>
        </>
      )}
    </SettingCard>
  )
}

function Parts({ may, onChange }: { may: OwnMay; onChange: (may: OwnMay) => void }) {
  const { t } = useTranslation()
  return (
    <Choices
      all={ownParts}
      chosen={ownParts.filter(part => may[part])}
      nameOf={part => t(`organisation.own-pages.part.${part}`)}
      onChange={chosen =>
        onChange({
          digests: chosen.includes('digests'),
          senders: chosen.includes('senders'),
          away: chosen.includes('away'),
          rules: chosen.includes('rules'),
        })
      }
    />
  )
}

function DepartmentLine({
  line: { department, may },
  place,
  onChange,
  onRemove,
}: {
  line: Unlike
  place: number
  onChange: (line: Unlike) => void
  onRemove: () => void
}) {
  const { t } = useTranslation()
  const there = useDepartments()
  const names = there.includes(department) ? there : [department, ...there]
  return (
    <li className="mt-2 border-t border-line pt-2">
      <p className="mb-2 flex items-center justify-between gap-4">
        <select
          value={department}
          aria-label={t('organisation.own-pages.department', { place })}
          onChange={({ target }) => onChange({ department: target.value, may })}
          className={`${inputStyle} max-w-64`}
        >
          {names.map(name => (
            <option key={name} value={name}>
              {name}
            </option>
          ))}
        </select>
        <Button kind="link" onClick={onRemove}>
          {t('organisation.own-pages.remove')}
        </Button>
      </p>
      <Parts may={may} onChange={changed => onChange({ department, may: changed })} />
    </li>
  )
}
