import { useEffect } from 'react'
import { clsx } from 'clsx'
import { X } from 'lucide-react'
import { useTranslation } from 'react-i18next'
import { useNotices } from './notices.ts'

/** The last thing that was done, with its undo; problems stay until they are closed. */
export function NoticeBar() {
  const { t } = useTranslation()
  const { all, close } = useNotices()
  const notice = all.at(-1)
  useEffect(() => {
    if (!notice || notice.tone === 'problem') return
    const timer = setTimeout(() => close(notice.id), 12_000)
    return () => clearTimeout(timer)
  }, [notice, close])
  return (
    <div
      role="status"
      aria-live="polite"
      className="pointer-events-none fixed bottom-4 left-4 z-30 max-w-[470px]"
    >
      {notice && (
        <div
          className={clsx(
            'pointer-events-auto flex items-center gap-4 rounded-md px-4 py-2.5 shadow-[0_6px_24px_rgb(30_42_48/.25)]',
            notice.tone === 'done'
              ? 'bg-petrol-deep text-[#F7F3EA]'
              : 'border border-stop bg-raised text-stop',
          )}
        >
          <span>{notice.text}</span>
          {notice.action && (
            <button
              type="button"
              className="shrink-0 border-b border-current font-bold"
              onClick={() => {
                close(notice.id)
                notice.action?.run()
              }}
            >
              {notice.action.label}
            </button>
          )}
          <button
            type="button"
            aria-label={t('notice.close')}
            className="shrink-0 opacity-75 hover:opacity-100"
            onClick={() => close(notice.id)}
          >
            <X aria-hidden className="size-4" />
          </button>
        </div>
      )}
    </div>
  )
}
