import { useState } from 'react'

/** Whether two values are the same to whoever reads them. */
export const alike = (a: unknown, b: unknown) => JSON.stringify(a) === JSON.stringify(b)

/**
 * What is typed, and the value it began from. When the setting changes, the draft follows where nothing would be lost, or where it was
 * applied (it is kept as it is meant, not as it was typed); else it stays, and both are shown.
 */
export function useDraft<V>(saved: V) {
  const [{ draft, begun, applied }, set] = useState({ draft: saved, begun: saved, applied: false })
  const follow = (value: V) => set({ draft: value, begun: value, applied: false })
  if (!alike(begun, saved) && (applied || alike(draft, begun) || alike(draft, saved))) follow(saved)
  return {
    draft,
    begun,
    follow,
    apply: () => set({ draft, begun, applied: true }),
    setDraft: (next: V) => set({ draft: next, begun, applied: false }),
  }
}
