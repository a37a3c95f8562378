import { useTranslation } from 'react-i18next'
import type { Role } from '@pendro/contract'

const roles = ['helpdesk', 'steward', 'observer'] as const

/** What somebody may do, to be picked. */
export function RoleChoice({
  label,
  role,
  disabled = false,
  onPick,
}: {
  /** Whose it is, for screen readers. */
  label: string
  role: Role
  disabled?: boolean
  onPick: (role: Role) => void
}) {
  const { t } = useTranslation()
  return (
    <select
      aria-label={label}
      value={role}
      disabled={disabled}
      onChange={({ target }) => onPick(roles.find(one => one === target.value) ?? role)}
      className="rounded-md border border-line-strong bg-raised px-2 py-1"
    >
      {roles.map(one => (
        <option key={one} value={one}>
          {t(`roles.${one}`)}
        </option>
      ))}
    </select>
  )
}
