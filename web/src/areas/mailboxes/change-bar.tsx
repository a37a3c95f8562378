import type { ReactNode } from 'react'
import type { DefaultsChange } from '@pendro/contract'
import { ApplyBar } from '../../parts/apply-bar.tsx'
import { useChangeDefaults } from './use-defaults.ts'

/** A change that is thought about: what it comes to, and to make it or to leave it. */
export function Change({
  change,
  onCancel,
  children,
}: {
  change: DefaultsChange | null
  onCancel: () => void
  children?: ReactNode
}) {
  const changing = useChangeDefaults()
  if (change === null) return null
  return (
    <div className="mt-3 border-t border-line pt-3" aria-live="polite">
      {children}
      <ApplyBar
        disabled={changing.isPending}
        onApply={reason => changing.mutate({ change, reason })}
        onCancel={onCancel}
      />
    </div>
  )
}
