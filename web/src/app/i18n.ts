import i18next from 'i18next'
import { initReactI18next } from 'react-i18next'
import { en as shared } from '@pendro/contract/wording/en'
import { en } from '../wording/en.ts'

export async function startI18n(): Promise<void> {
  await i18next.use(initReactI18next).init({
    lng: 'en',
    fallbackLng: 'en',
    resources: { en: { translation: { ...shared, ...en } } },
    // React escapes what it renders.
    interpolation: { escapeValue: false },
  })
}
