import type { ReactNode } from 'react'
import { X } from 'lucide-react'
import { useTranslation } from 'react-i18next'
import { useNumbers } from '../../app/times.ts'

interface Props {
  readonly title: string
  readonly count?: number
  readonly text?: string
  readonly mono?: boolean
  readonly onClose: () => void
  readonly children: ReactNode
}

/** What is opened at the right of the lists. */
export function SidePanel({ title, count, text, mono = false, onClose, children }: Props) {
  const { t } = useTranslation()
  const { number } = useNumbers()
  return (
    <section
      aria-label={title}
      className="h-full overflow-y-auto px-5 py-4"
      tabIndex={0}
      onKeyDown={event => {
        if (event.key !== 'Escape' || event.defaultPrevented) return
        event.preventDefault()
        onClose()
      }}
    >
      <header className="mb-3">
        <div className="flex items-baseline gap-2">
          {count !== undefined && <span className="font-serif text-[1.3rem] font-bold">{number(count)}</span>}
          <h2
            className={
              mono
                ? 'min-w-0 font-mono text-[1.05rem] font-semibold break-all'
                : 'font-serif text-[1.3rem] font-semibold'
            }
          >
            {title}
          </h2>
          <button
            type="button"
            onClick={onClose}
            className="ml-auto inline-flex shrink-0 items-center gap-1 text-ink-2 hover:text-ink"
          >
            <X aria-hidden className="size-4" /> {t('senders.close')}
          </button>
        </div>
        {text && <p className="text-[0.92rem] text-ink-2">{text}</p>}
      </header>
      {children}
    </section>
  )
}
