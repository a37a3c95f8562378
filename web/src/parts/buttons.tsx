import type { ButtonHTMLAttributes, ReactNode } from 'react'
import { clsx } from 'clsx'

type Kind = 'main' | 'plain' | 'link'

const kinds: Readonly<Record<Kind, string>> = {
  main: 'rounded-md bg-petrol px-3.5 py-2 font-semibold text-on-petrol hover:brightness-110 disabled:opacity-50',
  plain:
    'rounded-md border border-line-strong bg-raised px-3.5 py-1.5 font-semibold hover:border-petrol disabled:opacity-50',
  link: 'border-b border-current pb-px font-semibold text-petrol hover:text-ink disabled:opacity-50',
}

export function Button({
  kind = 'plain',
  className,
  ...rest
}: ButtonHTMLAttributes<HTMLButtonElement> & { kind?: Kind }) {
  return (
    <button
      type="button"
      {...rest}
      className={clsx('inline-flex items-center gap-2 whitespace-nowrap', kinds[kind], className)}
    />
  )
}

/** A key as it stands on the keyboard. */
export function KeyCap({ children }: { children: ReactNode }) {
  return (
    <kbd className="inline-grid h-5 min-w-5 place-items-center rounded-sm border border-current px-1 font-mono text-[0.78rem] leading-none opacity-75">
      {children}
    </kbd>
  )
}
