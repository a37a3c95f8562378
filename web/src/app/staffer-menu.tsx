import { useQueryClient } from '@tanstack/react-query'
import { clsx } from 'clsx'
import { DropdownMenu } from 'radix-ui'
import { useTranslation } from 'react-i18next'
import { useNavigate } from 'react-router'
import { giveFocusBack } from '../parts/focus.ts'
import { leave, useSession } from './session.ts'
import { faceStyle, StafferFace } from './staffer-face.tsx'
import { useTheme, type Theme } from './theme.ts'

interface Props {
  readonly open: boolean
  readonly onOpenChange: (open: boolean) => void
  readonly onKeys: () => void
}

/** What a staffer can do wherever they are: how it looks, their page, keys, signing out. */
export function StafferMenu({ open, onOpenChange, onKeys }: Props) {
  const navigate = useNavigate()
  const { t } = useTranslation()
  const { staffer } = useSession()
  const client = useQueryClient()
  const { theme, choose } = useTheme()
  const item = 'rounded-sm px-3 py-1.5 outline-none data-[highlighted]:bg-tint'
  return (
    <DropdownMenu.Root open={open} onOpenChange={onOpenChange}>
      <DropdownMenu.Trigger className={faceStyle}>
        <StafferFace />
      </DropdownMenu.Trigger>
      <DropdownMenu.Portal>
        <DropdownMenu.Content
          onCloseAutoFocus={giveFocusBack}
          align="end"
          sideOffset={6}
          className="z-40 min-w-60 rounded-md border border-line-strong bg-raised p-1 shadow-[0_6px_24px_rgb(30_42_48/.16)]"
        >
          <DropdownMenu.Label className="px-3 py-1.5 text-ink-2">
            {t(`roles.${staffer.role}`)}
            {staffer.departments && (
              <span className="block max-w-72">
                {t('shell.looksAfter', { departments: staffer.departments.join(', ') })}
              </span>
            )}
          </DropdownMenu.Label>
          <DropdownMenu.RadioGroup value={theme} onValueChange={value => choose(value as Theme)}>
            {(['system', 'light', 'dark'] as const).map(value => (
              <DropdownMenu.RadioItem
                key={value}
                value={value}
                className={clsx(item, value === theme && 'font-bold')}
              >
                {t(`theme.${value}`)}
              </DropdownMenu.RadioItem>
            ))}
          </DropdownMenu.RadioGroup>
          <DropdownMenu.Separator className="my-1 h-px bg-line" />
          <DropdownMenu.Item className={item} onSelect={() => void navigate('/me')}>
            {t('shell.me')}
          </DropdownMenu.Item>
          <DropdownMenu.Item className={item} onSelect={onKeys}>
            {t('shell.keys')}
          </DropdownMenu.Item>
          <DropdownMenu.Item className={item} onSelect={() => void leave(client)}>
            {t('shell.signOut')}
          </DropdownMenu.Item>
        </DropdownMenu.Content>
      </DropdownMenu.Portal>
    </DropdownMenu.Root>
  )
}
