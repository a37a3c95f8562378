import { useTranslation } from 'react-i18next'
import type { OrganisationSettingsShape } from '@pendro/contract'
import { Button } from '../../parts/buttons.tsx'
import { inputStyle } from '../../parts/field.tsx'
import { DepartmentsSlot } from '../staffers/departments-slot.tsx'
import { RoleChoice } from '../staffers/role-choice.tsx'
import { Choices, Line } from './fields.tsx'
import { movedUp } from './lines.ts'
import { SettingCard } from './setting-card.tsx'
import { useDepartments } from './use-settings.ts'

type Setting = OrganisationSettingsShape['identity-provider']
type Grant = Setting['grants'][number]

/** Where staffers and colleagues sign in besides Pendro (OpenID Connect), and what their groups may do. */
export function IdentityProviderCard({
  data: { 'identity-provider': saved },
  may,
}: {
  data: OrganisationSettingsShape
  may: boolean
}) {
  const { t } = useTranslation()
  return (
    <SettingCard what="identity-provider" saved={saved} may={may}>
      {(draft, onChange) => (
        <>
          {(['issuer', 'clientId', 'name', 'groupsClaim'] as const).map(of => (
            <Line
              key={of}
              label={t(`organisation.identity-provider.${of}`)}
              help={t(`organisation.identity-provider.${of}Help`, {
                back: `${window.location.origin}/sign-in/back`,
              })}
              value={draft[of]}
              onChange={value => onChange({ ...draft, [of]: value })}
            />
          ))}
          <Grants grants={draft.grants} onChange={grants => onChange({ ...draft, grants })} />
          <div className="mt-3">
            <Choices
              all={['colleagues', 'passwords'] as const}
              chosen={(['colleagues', 'passwords'] as const).filter(of => draft[of])}
              nameOf={of => t(`organisation.identity-provider.${of}`)}
              onChange={chosen =>
                onChange({
                  ...draft,
                  colleagues: chosen.includes('colleagues'),
                  passwords: chosen.includes('passwords'),
                })
              }
            />
          </div>
        </>
      )}
    </SettingCard>
  )
}

/** Who is in which group may do what; the first line that fits counts. */
function Grants({ grants, onChange }: { grants: readonly Grant[]; onChange: (grants: Grant[]) => void }) {
  const { t } = useTranslation()
  const there = useDepartments()
  const put = (at: number, grant: Grant) => onChange(grants.map((one, i) => (i === at ? grant : one)))
  return (
    <div className="mt-3">
      <p className="font-semibold">{t('organisation.identity-provider.grants')}</p>
      <p className="text-[0.95rem] text-ink-2">{t('organisation.identity-provider.grantsHelp')}</p>
      <ol>
        {grants.map((grant, i) => (
          <li key={i} className="mt-2 border-t border-line pt-2">
            <GrantLine
              grant={grant}
              place={i + 1}
              there={there}
              onChange={changed => put(i, changed)}
              onRemove={() => onChange(grants.filter((_, at) => at !== i))}
              onUp={i === 0 ? undefined : () => onChange(movedUp(grants, i))}
            />
          </li>
        ))}
      </ol>
      <Button
        className="mt-2"
        onClick={() => onChange([...grants, { group: '', role: 'helpdesk', departments: null }])}
      >
        {t('organisation.identity-provider.addGrant')}
      </Button>
    </div>
  )
}

function GrantLine({
  grant,
  place,
  there,
  onChange,
  onRemove,
  onUp,
}: {
  grant: Grant
  place: number
  there: readonly string[]
  onChange: (grant: Grant) => void
  onRemove: () => void
  onUp: (() => void) | undefined
}) {
  const { t } = useTranslation()
  return (
    <div className="flex flex-wrap items-center gap-x-2 gap-y-1.5">
      <span>{t('organisation.identity-provider.whoeverIsIn')}</span>
      <input
        value={grant.group}
        maxLength={300}
        aria-label={t('organisation.identity-provider.group', { place })}
        onChange={({ target }) => onChange({ ...grant, group: target.value })}
        className={`${inputStyle} max-w-64`}
      />
      <span>{t('organisation.identity-provider.is')}</span>
      <RoleChoice
        label={t('organisation.identity-provider.role', { place })}
        role={grant.role}
        onPick={role => onChange({ ...grant, role })}
      />
      <span>{t('organisation.identity-provider.of')}</span>
      <DepartmentsSlot
        label={t('organisation.identity-provider.departments', { place })}
        value={grant.departments}
        there={there}
        onPick={departments => onChange({ ...grant, departments })}
      />
      <span className="ml-auto flex gap-x-4">
        {onUp && (
          <Button kind="link" onClick={onUp}>
            {t('organisation.identity-provider.up')}
          </Button>
        )}
        <Button kind="link" onClick={onRemove}>
          {t('organisation.identity-provider.remove')}
        </Button>
      </span>
    </div>
  )
}
