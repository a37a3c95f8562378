import { useTranslation } from 'react-i18next'
import { eraseForGood, type ReviewRow } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useAct } from '../../app/use-act.ts'
import { Button } from '../../parts/buttons.tsx'
import { Dialog, DialogClose } from '../../parts/dialog.tsx'

interface Props {
  readonly row: ReviewRow
  readonly open: boolean
  readonly onOpenChange: (open: boolean) => void
}

/** Discarding for good what was discarded: asked once more, since nothing brings it back. */
export function EraseDialog({ row, open, onOpenChange }: Props) {
  const { t } = useTranslation()
  const erasing = useAct({
    send: () => call(eraseForGood, { body: { deliveries: [row.id] } }),
    notice: () => ({ text: t('erase.done') }),
    makes: 'erased',
    onDone: () => onOpenChange(false),
  })
  return (
    <Dialog
      open={open}
      onOpenChange={onOpenChange}
      title={t('erase.title', { subject: row.subject })}
      text={t('erase.text', { name: row.mailboxName })}
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
