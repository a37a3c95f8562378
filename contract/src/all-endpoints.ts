import { calibrationEndpoints } from './calibration-endpoints.ts'
import { digestEndpoints } from './digest-endpoints.ts'
import { directoryEndpoints } from './directory-endpoints.ts'
import { doorEndpoints } from './door-endpoints.ts'
import { factorEndpoints } from './factor-endpoints.ts'
import { historyEndpoints } from './history-endpoints.ts'
import { identityEndpoints } from './identity-endpoints.ts'
import { keyEndpoints } from './key-endpoints.ts'
import { mailRuleEndpoints } from './mail-rule-endpoints.ts'
import { mailboxEndpoints } from './mailbox-endpoints.ts'
import { ownEndpoints } from './own-endpoints.ts'
import { ownRuleEndpoints } from './own-rule-endpoints.ts'
import { recordEndpoints } from './record-endpoints.ts'
import { reviewEndpoints } from './review-endpoints.ts'
import { senderEndpoints } from './sender-endpoints.ts'
import { shellEndpoints } from './shell-endpoints.ts'
import { organisationEndpoints } from './organisation-endpoints.ts'
import { settingsEndpoints } from './settings-endpoints.ts'
import { stafferEndpoints } from './staffer-endpoints.ts'
import { stepEndpoints } from './step-endpoints.ts'
import { standbyEndpoints } from './standby-endpoints.ts'
import { storeEndpoints } from './store-endpoints.ts'
import { storeScriptEndpoints } from './store-script-endpoints.ts'
import { upkeepEndpoints } from './upkeep-endpoints.ts'
import { whereaboutsEndpoints } from './whereabouts-endpoints.ts'

/** Every request of the API by its name. Apart, so that a screen loads only what it asks. */
export const endpoints = {
  ...organisationEndpoints,
  ...settingsEndpoints,
  ...doorEndpoints,
  ...historyEndpoints,
  ...stepEndpoints,
  ...storeEndpoints,
  ...storeScriptEndpoints,
  ...standbyEndpoints,
  ...stafferEndpoints,
  ...factorEndpoints,
  ...identityEndpoints,
  ...keyEndpoints,
  ...shellEndpoints,
  ...reviewEndpoints,
  ...whereaboutsEndpoints,
  ...digestEndpoints,
  ...mailRuleEndpoints,
  ...mailboxEndpoints,
  ...directoryEndpoints,
  ...calibrationEndpoints,
  ...senderEndpoints,
  ...upkeepEndpoints,
  ...ownEndpoints,
  ...ownRuleEndpoints,
  ...recordEndpoints,
}
