import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import { clearFactors, type StafferRow } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useAct } from '../../app/use-act.ts'
import { Button } from '../../parts/buttons.tsx'
import { Dialog, DialogTrigger } from '../../parts/dialog.tsx'
import { TextField } from '../../parts/field.tsx'

/** For somebody who lost their second factor; asked for with a reason, since it makes a password enough. */
export function ClearFactors({ staffer: { id, name } }: { staffer: StafferRow }) {
  const { t } = useTranslation()
  const [open, setOpen] = useState(false)
  const [reason, setReason] = useState('')
  const clearing = useAct({
    send: () => call(clearFactors, { params: { id }, body: { reason } }),
    notice: () => ({ text: t('staffers.clear.done', { name }) }),
    onDone: () => setOpen(false),
    makes: 'staffers-changed',
  })
  return (
    <Dialog
      open={open}
      onOpenChange={setOpen}
      title={t('staffers.clear.title', { name })}
      text={t('staffers.clear.text')}
      trigger={
        <DialogTrigger asChild>
          <Button kind="link">{t('staffers.clear.go')}</Button>
        </DialogTrigger>
      }
    >
      <form
        className="mt-4 grid gap-4"
        onSubmit={event => {
          event.preventDefault()
          clearing.mutate()
        }}
      >
        <TextField
          label={t('staffers.clear.reason')}
          autoFocus
          value={reason}
          maxLength={1000}
          onChange={({ target }) => setReason(target.value)}
        />
        <p className="flex flex-wrap gap-3">
          <Button kind="main" type="submit" disabled={clearing.isPending || reason.trim() === ''}>
            {t('staffers.clear.go')}
          </Button>
          <Button onClick={() => setOpen(false)}>{t('staffers.clear.leave')}</Button>
        </p>
      </form>
    </Dialog>
  )
}
