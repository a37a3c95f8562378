import type { ReactNode } from 'react'
import { useTranslation } from 'react-i18next'
import { problemOf } from '../app/api.ts'
import { Button } from './buttons.tsx'

/** Nothing to show, and what to do about it. */
export function Empty({ title, children }: { title: string; children?: ReactNode }) {
  return (
    <div className="grid place-items-center gap-2 px-8 py-14 text-center">
      <svg width="56" height="52" viewBox="0 0 56 52" aria-hidden>
        <path
          d="M4 26a26 26 0 0 0 48 0"
          className="fill-none stroke-line-strong"
          strokeWidth="2"
          strokeLinecap="round"
          strokeDasharray="1 6"
        />
        <line
          x1="28"
          y1="4"
          x2="28"
          y2="38"
          className="stroke-line-strong"
          strokeWidth="3"
          strokeLinecap="round"
        />
        <circle cx="28" cy="42" r="8" className="fill-line-strong" />
      </svg>
      <h2 className="font-serif text-[1.2rem] font-semibold">{title}</h2>
      <div className="max-w-md text-ink-2">{children}</div>
    </div>
  )
}

/** What happened, what was kept, what to do. */
export function Failed({
  error,
  onAgain,
  say = one => problemOf(one).text,
}: {
  error: unknown
  onAgain?: () => void
  /** Words the problem; colleagues' pages say it in their language. */
  say?: (error: unknown) => string
}) {
  const { t } = useTranslation()
  const problem = problemOf(error)
  return (
    <div role="alert" className="m-6 rounded-lg border border-stop/40 bg-sheet px-5 py-4">
      <h2 className="font-serif text-[1.1rem] font-semibold text-stop">
        {t(problem.code === 'OFFLINE' ? 'failed.offline' : 'failed.title')}
      </h2>
      <p className="mt-1">{say(error)}</p>
      {onAgain && (
        <Button className="mt-3" onClick={onAgain}>
          {t('failed.again')}
        </Button>
      )}
    </div>
  )
}

/** Grey shapes where rows will be. */
export function SkeletonRows({ count, height = 73 }: { count: number; height?: number }) {
  return (
    <div aria-hidden>
      {Array.from({ length: count }, (_, i) => (
        <div key={i} className="flex items-center gap-4 border-b border-line px-5" style={{ height }}>
          <span className="skeleton size-4" />
          <span className="skeleton size-9 rounded-full" />
          <span className="grid flex-1 gap-2">
            <span className="skeleton h-3" style={{ width: `${35 + ((i * 17) % 30)}%` }} />
            <span className="skeleton h-3" style={{ width: `${55 + ((i * 23) % 35)}%` }} />
          </span>
        </div>
      ))}
    </div>
  )
}
