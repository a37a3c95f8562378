import { useState } from 'react'
import { useTranslation } from 'react-i18next'
import { eraseForGood, type ReviewRow } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { mayWrite, useSession } from '../../app/session.ts'
import { useAct } from '../../app/use-act.ts'
import { Button } from '../../parts/buttons.tsx'
import { Dialog, DialogClose, DialogTrigger } from '../../parts/dialog.tsx'

/** Discarding for good what was discarded: asked once more, since nothing brings it back. */
export function EraseForGood({ row }: { row: ReviewRow }) {
  const { t } = useTranslation()
  const session = useSession()
  const [open, setOpen] = useState(false)
  const erasing = useAct({
    send: () => call(eraseForGood, { body: { deliveries: [row.id] } }),
    notice: () => ({ text: t('erase.done') }),
    makes: 'erased',
    onDone: () => setOpen(false),
  })
  if (!mayWrite(session)) return null
  return (
    <Dialog
      open={open}
      onOpenChange={setOpen}
      title={t('erase.title', { subject: row.subject })}
      text={t('erase.text', { name: row.mailboxName })}
      trigger={
        <DialogTrigger asChild>
          <Button kind="link">{t('erase.button')}</Button>
        </DialogTrigger>
      }
    >
      <p className="mt-5 flex gap-3">
        <DialogClose asChild>
          <Button autoFocus>{t('erase.keep')}</Button>
        </DialogClose>
        <Button
          className="border-stop! text-stop"
          disabled={erasing.isPending}
          onClick={() => erasing.mutate()}
        >
          {t('erase.button')}
        </Button>
      </p>
    </Dialog>
  )
}
