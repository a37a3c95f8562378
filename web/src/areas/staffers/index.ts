import i18next from 'i18next'
import { enMailboxes } from '../../wording/en-mailboxes.ts'
import { enStaffers } from '../../wording/en-staffers.ts'

// The area's texts come with its code.
i18next.addResourceBundle('en', 'translation', { staffers: enStaffers, mailboxes: enMailboxes }, true)

export { InvitationPage } from './invitation-page.tsx'
export { StaffersPage } from './staffers-page.tsx'
