import { createInstance } from 'i18next'
import { de } from '@pendro/contract/wording/de'
import { en } from '@pendro/contract/wording/en'
import { problemTexts } from '@pendro/contract'
import { enLetters } from '@pendro/contract/wording/en-letters'
import { enLists } from '@pendro/contract/wording/en-lists'
import { enSmtp } from '@pendro/contract/wording/en-smtp'
import { nb } from '@pendro/contract/wording/nb'
import { pl } from '@pendro/contract/wording/pl'
import type { Translate } from '@pendro/core/digest'

const texts = createInstance()
// Not awaited: a module that waits at its top can't be loaded by a worker thread.
void texts.init({
  initAsync: false,
  lng: 'en',
  fallbackLng: 'en',
  resources: {
    en: { translation: { ...en, ...enLetters, ...enLists, smtp: enSmtp, problem: problemTexts } },
    nb: { translation: nb },
    de: { translation: de },
    pl: { translation: pl },
  },
  keySeparator: '.',
  // The texts go into mail and are escaped there, for text and for HTML each in its own way.
  interpolation: { escapeValue: false },
})

/** The language something is really said in: dates must not speak another one than the words around them. */
export const spokenLanguage = (language: string): string =>
  texts.hasResourceBundle(language, 'translation') ? language : 'en'

/** Wording in a language; what is not translated yet comes in English. */
export function translator(language: string): Translate {
  const t = texts.getFixedT(language)
  // No nesting: a fact is what somebody wrote, and must not be read as a text's key.
  return (key, facts = {}) => t(key, { ...facts, nest: false }) as string
}
