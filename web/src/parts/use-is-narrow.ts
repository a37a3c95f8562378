import { useSyncExternalStore } from 'react'

const query = '(max-width: 899px)'

const subscribe = (changed: () => void) => {
  const media = matchMedia(query)
  media.addEventListener('change', changed)
  return () => media.removeEventListener('change', changed)
}

/** Whether there is room for one pane at a time only (WCAG 2.2, 1.4.10). */
export const useIsNarrow = (): boolean => useSyncExternalStore(subscribe, () => matchMedia(query).matches)
