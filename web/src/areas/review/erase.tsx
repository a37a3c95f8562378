import { lazy, Suspense, useState } from 'react'
import { useTranslation } from 'react-i18next'
import type { ReviewRow } from '@pendro/contract'
import { mayWrite, useSession } from '../../app/session.ts'
import { Button } from '../../parts/buttons.tsx'

const EraseDialog = lazy(() => import('./erase-dialog.tsx').then(m => ({ default: m.EraseDialog })))

/** The way to discard for good what was discarded. */
export function EraseForGood({ row }: { row: ReviewRow }) {
  const { t } = useTranslation()
  const session = useSession()
  const [open, setOpen] = useState<boolean | null>(null)
  if (!mayWrite(session)) return null
  return (
    <>
      <Button kind="link" aria-haspopup="dialog" onClick={() => setOpen(true)}>
        {t('erase.button')}
      </Button>
      {open !== null && (
        <Suspense fallback={null}>
          <EraseDialog row={row} open={open} onOpenChange={setOpen} />
        </Suspense>
      )}
    </>
  )
}
