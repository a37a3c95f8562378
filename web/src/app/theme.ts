import { create } from 'zustand'

export type Theme = 'system' | 'light' | 'dark'
const place = 'pendro.theme'

const systemDark = window.matchMedia('(prefers-color-scheme: dark)')

function apply(theme: Theme): void {
  const dark = theme === 'dark' || (theme === 'system' && systemDark.matches)
  document.documentElement.dataset.theme = dark ? 'dark' : 'light'
}

function stored(): Theme {
  const value = localStorage.getItem(place)
  return value === 'light' || value === 'dark' ? value : 'system'
}

export const useTheme = create<{ theme: Theme; choose: (theme: Theme) => void }>(set => ({
  theme: stored(),
  choose: theme => {
    localStorage.setItem(place, theme)
    apply(theme)
    set({ theme })
  },
}))

/** Before the first paint; follows the system while nobody has chosen. */
export function startTheme(): void {
  apply(stored())
  systemDark.addEventListener('change', () => apply(useTheme.getState().theme))
}
