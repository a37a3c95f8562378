import i18next from 'i18next'
import { enMe } from '../../wording/en-me.ts'

// The area's texts come with its code.
i18next.addResourceBundle('en', 'translation', { me: enMe }, true)

export { MePage, FactorFirst } from './me-page.tsx'
export { ProofDialog } from './proof-dialog.tsx'
