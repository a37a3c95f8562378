import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import { Button } from './buttons.tsx'
import { TextField } from './field.tsx'

/** What ends every change that is thought about: a reason, and to make it or to leave it. */
export function ApplyBar({
  disabled,
  onApply,
  onCancel,
}: {
  disabled: boolean
  onApply: (reason: string) => void
  onCancel: () => void
}) {
  const { t } = useTranslation()
  const [reason, setReason] = useState('')
  return (
    <form
      className="mt-3 grid gap-3"
      onSubmit={event => {
        event.preventDefault()
        onApply(reason)
      }}
    >
      <TextField
        label={t('change.reason')}
        value={reason}
        maxLength={1000}
        onChange={event => setReason(event.target.value)}
      />
      <p className="flex flex-wrap gap-3">
        <Button kind="main" type="submit" disabled={disabled}>
          {t('change.apply')}
        </Button>
        <Button onClick={onCancel}>{t('change.cancel')}</Button>
      </p>
    </form>
  )
}
