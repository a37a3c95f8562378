import i18next from 'i18next'
import { enMailRules } from '../../wording/en-mail-rules.ts'
import { enMailboxes } from '../../wording/en-mailboxes.ts'

i18next.addResourceBundle('en', 'translation', { mailRules: enMailRules, mailboxes: enMailboxes }, true)

export { MailRulesPage } from './mail-rules-page.tsx'
