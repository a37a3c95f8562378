import { queryKeyOf } from '../../app/query-keys.ts'
import { useEffect, useState } from 'react'
import { useQuery } from '@tanstack/react-query'
import i18next from 'i18next'
import { useTranslation } from 'react-i18next'
import { digestLanguage, readOwnSession, type DigestLanguage, type OwnSession } from '@pendro/contract'
import { call, keepToken, Problem, problemOf } from '../../app/api.ts'
import { useZone } from '../../app/times.ts'

export const ownSessionKey = queryKeyOf('own-session')

/** Which colleague is signed in on this device; `null` for nobody. */
export function useOwnSessionQuery() {
  return useQuery({
    queryKey: ownSessionKey,
    staleTime: Infinity,
    queryFn: async (): Promise<OwnSession | null> => {
      try {
        return keptOwn(await call(readOwnSession))
      } catch (error) {
        if (error instanceof Problem && error.code === 'SIGN_IN_FIRST') return null
        throw error
      }
    },
  })
}

export function keptOwn(session: OwnSession): OwnSession {
  keepToken(session.csrf, 'own')
  useZone.setState({ zone: session.timeZone })
  return session
}

/** Below the own pages' frame somebody is signed in. */
export function useOwnSession(): OwnSession {
  const { data } = useOwnSessionQuery()
  if (!data) throw new Error('useOwnSession: nobody is signed in above this component')
  return data
}

const wordings: Readonly<Record<DigestLanguage, () => Promise<object>>> = {
  en: async () => ({ ...(await import('../../wording/own/en.ts')).own }),
  nb: async () => ({
    ...(await import('@pendro/contract/wording/nb')).nb,
    ...(await import('../../wording/own/nb.ts')).own,
  }),
  de: async () => ({
    ...(await import('@pendro/contract/wording/de')).de,
    ...(await import('../../wording/own/de.ts')).own,
  }),
  pl: async () => ({
    ...(await import('@pendro/contract/wording/pl')).pl,
    ...(await import('../../wording/own/pl.ts')).own,
  }),
}

/** The browser's language where we speak it; Norwegian has several names. */
function browserLanguage(): DigestLanguage {
  const names = navigator.languages.map(name => name.slice(0, 2).replace(/^n[on]$/, 'nb'))
  return digestLanguage.options.find(language => names.includes(language)) ?? 'en'
}

/** Speaks the colleague's language on the whole page; false until its words are there. */
export function useOwnLanguage(wanted: string | undefined): boolean {
  const language = digestLanguage.options.find(one => one === wanted) ?? browserLanguage()
  const [spoken, setSpoken] = useState('')
  useEffect(() => {
    let stale = false
    void (async () => {
      // What is missing in a language is said in English, so that is there too.
      try {
        for (const one of new Set<DigestLanguage>(['en', language]))
          i18next.addResourceBundle(one, 'translation', await wordings[one](), true, true)
      } catch {
        // Without its words the page says what it can in English rather than stay blank.
      }
      if (stale) return
      await i18next.changeLanguage(language)
      document.documentElement.lang = language
      setSpoken(language)
    })()
    return () => {
      stale = true
    }
  }, [language])
  return spoken === language
}

/** What went wrong, in the colleague's language where we have words for it. */
export function useProblemText(): (error: unknown) => string {
  const { t, i18n } = useTranslation()
  return error => {
    const { code, text } = problemOf(error)
    const key = `own.problem.${code}`
    // The English of the server would be the last resort; a test holds that every code has a key.
    return i18n.exists(key) ? t(key) : text
  }
}
