import i18next from 'i18next'
import { enMailboxes } from '../../wording/en-mailboxes.ts'
import { enOrganisation } from '../../wording/en-organisation.ts'

// The area's texts come with its code; what a change asks for is worded as in Mailboxes.
i18next.addResourceBundle('en', 'translation', { organisation: enOrganisation, mailboxes: enMailboxes }, true)

export { OrganisationArea } from './organisation-area.tsx'
