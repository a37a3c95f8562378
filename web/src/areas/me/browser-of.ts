import Bowser from 'bowser'

/** A browser and a system by what the browser calls itself; `null` for what is not known. */
export function browserOf(agent: string): { readonly browser: string; readonly system: string } | null {
  if (agent === '') return null
  const { browser, os } = Bowser.parse(agent)
  return browser.name && os.name ? { browser: browser.name, system: os.name } : null
}
