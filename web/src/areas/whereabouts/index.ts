import i18next from 'i18next'
import { enMailRules } from '../../wording/en-mail-rules.ts'
import { enWhereabouts } from '../../wording/en-whereabouts.ts'

// The area's texts come with its code, not with the first screen.
i18next.addResourceBundle('en', 'translation', { whereabouts: enWhereabouts, mailRules: enMailRules }, true)

export { Account } from './account.tsx'
export { WhereaboutsArea } from './whereabouts-area.tsx'
export { ExactList } from './exact-list.tsx'
