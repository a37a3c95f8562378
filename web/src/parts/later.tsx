import { lazy, useState, type ComponentType } from 'react'

/** A part of a screen whose code comes later. */
export interface Later<P extends object> {
  /** Needs a `Suspense` around it, for whoever is sooner than its code. */
  readonly Part: ComponentType<P>
  /** Has the code come; what is there already is on the screen at once, and no key that is typed meanwhile is lost. */
  readonly fetch: () => void
}

export function later<P extends object>(load: () => Promise<ComponentType<P>>): Later<P> {
  let there: ComponentType<P> | null = null
  const come = async () => (there ??= await load())
  const Coming = lazy(async () => ({ default: await come() }))
  return {
    Part: props => {
      // What stands on the screen is not taken for another part when its code has come.
      const [Mine] = useState<ComponentType<P>>(() => there ?? Coming)
      return <Mine {...props} />
    },
    // Who needs it asks again, and is told what went wrong.
    fetch: () => void come().catch(() => {}),
  }
}
