import i18next from 'i18next'
import { enDoors } from '../../wording/en-doors.ts'
import { enMailboxes } from '../../wording/en-mailboxes.ts'
import { enOrganisation } from '../../wording/en-organisation.ts'
import { enLearning, enSteps } from '../../wording/en-steps.ts'
import { enStores } from '../../wording/en-stores.ts'
import { enStaffers } from '../../wording/en-staffers.ts'

// The area's texts come with its code; what a change asks for is worded as in Mailboxes, departments as with the staffers.
i18next.addResourceBundle(
  'en',
  'translation',
  {
    organisation: enOrganisation,
    doors: enDoors,
    steps: enSteps,
    learning: enLearning,
    mailboxes: enMailboxes,
    staffers: enStaffers,
    stores: enStores,
  },
  true,
)

export { DoorsPage } from './doors/doors-page.tsx'
export { LearningPage } from './learning/learning-page.tsx'
export { StoresPage } from './stores/stores-page.tsx'
export { StepsPage } from './steps/steps-page.tsx'
export { OrganisationArea } from './organisation-area.tsx'
