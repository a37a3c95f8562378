import { type ReactNode } from 'react'
import { useTranslation } from 'react-i18next'
import { Button } from '../../parts/buttons.tsx'
import { TextField } from '../../parts/field.tsx'
import { useAct } from '../../app/use-act.ts'

export interface Adding {
  readonly onDone: (recoveryCodes: readonly string[] | null) => void
  readonly onCancel: () => void
}

/** The act that adds a factor; what comes of it is told to whoever shows the form. */
export function useAddFactor(
  send: () => Promise<{ readonly recoveryCodes: readonly string[] | null }>,
  { onDone }: Pick<Adding, 'onDone'>,
) {
  const { t } = useTranslation()
  return useAct({
    send,
    notice: () => ({ text: t('me.factors.added') }),
    onDone: ({ recoveryCodes }) => onDone(recoveryCodes),
    quiet: true,
    makes: 'factor-added',
  })
}

interface FactorFormProps extends Pick<Adding, 'onCancel'> {
  readonly name: string
  readonly onName: (name: string) => void
  readonly go: string
  readonly mayGo: boolean
  readonly onGo: () => void
  readonly focusName?: boolean
  readonly className?: string
  readonly children?: ReactNode
}

/** A name for a new factor, what proves it, and the two ways on. */
export function FactorForm(props: FactorFormProps) {
  const { name, onName, go, mayGo, onGo, onCancel, focusName = false, className = '', children } = props
  const { t } = useTranslation()
  return (
    <form
      className={`mt-3 grid gap-3 ${className}`}
      onSubmit={event => {
        event.preventDefault()
        onGo()
      }}
    >
      <TextField
        label={t('me.factors.name')}
        autoFocus={focusName}
        value={name}
        maxLength={100}
        onChange={({ target }) => onName(target.value)}
      />
      {children}
      <p className="flex flex-wrap gap-3">
        <Button kind="main" type="submit" disabled={!mayGo}>
          {go}
        </Button>
        <Button onClick={onCancel}>{t('me.factors.cancel')}</Button>
      </p>
    </form>
  )
}
