import i18next from 'i18next'
import { enAtStore } from '../../wording/en-at-store.ts'
import { enDirectory } from '../../wording/en-directory.ts'
import { enDigests } from '../../wording/en-digests.ts'
import { enMailRules } from '../../wording/en-mail-rules.ts'
import { enMailboxes } from '../../wording/en-mailboxes.ts'

// The area's texts come with its code; digest times and mail rules are worded as in their own areas.
i18next.addResourceBundle(
  'en',
  'translation',
  {
    mailboxes: enMailboxes,
    directory: enDirectory,
    digests: enDigests,
    mailRules: enMailRules,
    atStore: enAtStore,
  },
  true,
)

export { MailboxesArea } from './mailboxes-area.tsx'
export { WatchingPage } from './watching-page.tsx'

// What Calibration has in common with the defaults of mailboxes: a change of limits, and what it would come to.
export { limitNames, limitSteps, withLimit, type LimitName, type Limits } from './limits-arc.tsx'
export { LimitsFields } from './limits-fields.tsx'
export { Replay } from './replay.tsx'
export { useChangeDefaults, useEffectOfDefaults } from './use-defaults.ts'
