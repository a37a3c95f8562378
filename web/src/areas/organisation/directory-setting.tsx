import { useTranslation } from 'react-i18next'
import type { OrganisationSettingsShape } from '@pendro/contract'
import { inputStyle, TextField } from '../../parts/field.tsx'
import { Choices, Line } from './fields.tsx'
import { SettingCard } from './setting-card.tsx'

type Setting = OrganisationSettingsShape['directory']

interface Part {
  readonly draft: Setting
  readonly onChange: (draft: Setting) => void
}

/** Where it is known who there is (LDAP), and how it is read. */
export function DirectoryCard({
  data: { directory: saved },
  may,
}: {
  data: OrganisationSettingsShape
  may: boolean
}) {
  const { t } = useTranslation()
  return (
    <SettingCard what="directory" saved={saved} may={may}>
      {(draft, onChange) => (
        <>
          {(['url', 'bindDn', 'base'] as const).map(of => (
            <Line
              key={of}
              label={t(`organisation.directory.${of}`)}
              help={t(`organisation.directory.${of}Help`)}
              value={draft[of]}
              onChange={value => onChange({ ...draft, [of]: value })}
            />
          ))}
          <p className="mt-3">
            <Choices
              all={['startTls', 'hourly'] as const}
              chosen={(['startTls', 'hourly'] as const).filter(of => draft[of])}
              nameOf={of => t(`organisation.directory.${of}`)}
              onChange={chosen =>
                onChange({
                  ...draft,
                  startTls: chosen.includes('startTls'),
                  hourly: chosen.includes('hourly'),
                })
              }
            />
          </p>
          <Share draft={draft} onChange={onChange} />
          <Reading draft={draft} onChange={onChange} />
        </>
      )}
    </SettingCard>
  )
}

/** Filters and attributes: as most directories have them, and seldom changed. */
function Reading({ draft, onChange }: Part) {
  const { t } = useTranslation()
  return (
    <details className="mt-3">
      <summary className="cursor-pointer font-semibold">{t('organisation.directory.more')}</summary>
      {(['people', 'groups'] as const).map(of => (
        <Line
          key={of}
          label={t(`organisation.directory.${of}`)}
          help={t(`organisation.directory.${of}Help`)}
          value={draft[of]}
          onChange={value => onChange({ ...draft, [of]: value })}
        />
      ))}
      <div className="grid gap-x-4 min-[500px]:grid-cols-2">
        {(['address', 'name', 'department', 'aliases', 'language', 'members', 'store'] as const).map(of => (
          <Line
            key={of}
            label={t(`organisation.directory.attribute.${of}`)}
            value={draft.attributes[of] ?? ''}
            onChange={value => onChange({ ...draft, attributes: { ...draft.attributes, [of]: value } })}
          />
        ))}
      </div>
    </details>
  )
}

function Share({ draft, onChange }: Part) {
  const { t } = useTranslation()
  return (
    <TextField
      label={t('organisation.directory.share')}
      className="mt-2"
      type="number"
      min={0}
      max={100}
      value={draft.share}
      onChange={({ target }) =>
        onChange({ ...draft, share: Math.min(100, Math.max(0, Math.round(Number(target.value)))) })
      }
      look={`${inputStyle} max-w-28`}
    />
  )
}
