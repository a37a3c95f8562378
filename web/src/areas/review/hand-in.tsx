import { lazy, Suspense, useState } from 'react'
import { FileUp } from 'lucide-react'
import { useTranslation } from 'react-i18next'

// Its code comes when somebody asks for it: most days nobody does.
const HandInDialog = lazy(() => import('./hand-in-dialog.tsx').then(m => ({ default: m.HandInDialog })))

/** The way to hand a message in that got through. */
export function HandIn() {
  const { t } = useTranslation()
  const [open, setOpen] = useState<boolean | null>(null)
  return (
    <>
      <button
        type="button"
        aria-haspopup="dialog"
        onClick={() => setOpen(true)}
        className="ml-2 inline-flex items-center gap-1 text-[0.92rem] text-ink-2 underline decoration-line-strong underline-offset-3 hover:text-petrol"
      >
        <FileUp aria-hidden className="size-3.5" /> {t('handIn.title')}
      </button>
      {open !== null && (
        <Suspense fallback={null}>
          <HandInDialog open={open} onOpenChange={setOpen} />
        </Suspense>
      )}
    </>
  )
}
