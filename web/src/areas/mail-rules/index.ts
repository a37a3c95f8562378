import i18next from 'i18next'
import { enAtStore } from '../../wording/en-at-store.ts'
import { enMailRules } from '../../wording/en-mail-rules.ts'
import { enMailboxes } from '../../wording/en-mailboxes.ts'

i18next.addResourceBundle(
  'en',
  'translation',
  { mailRules: enMailRules, mailboxes: enMailboxes, atStore: enAtStore },
  true,
)

export { MailRulesPage } from './mail-rules-page.tsx'
