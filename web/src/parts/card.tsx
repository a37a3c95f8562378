import type { ReactNode } from 'react'
import { clsx } from 'clsx'

/** One part of the page: its title, what it leads to at the right, and what it says. */
export function Card({
  title,
  more,
  className,
  children,
}: {
  title: string
  more?: ReactNode
  className?: string
  children: ReactNode
}) {
  return (
    <section className={clsx('min-w-0 rounded-lg border border-line bg-sheet px-4 pt-3 pb-4', className)}>
      <div className="mb-2 flex flex-wrap items-baseline justify-between gap-x-4">
        <h3 className="font-serif text-[1.1rem] font-semibold">{title}</h3>
        <span className="text-[0.95rem]">{more}</span>
      </div>
      {children}
    </section>
  )
}
