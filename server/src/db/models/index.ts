import * as deliveriesModels from './deliveries.ts'
import * as digestsModels from './digests.ts'
import * as doorsModels from './doors.ts'
import * as historyModels from './history.ts'
import * as learningModels from './learning.ts'
import * as listsModels from './lists.ts'
import * as mailRulesModels from './mail-rules.ts'
import * as messagesModels from './messages.ts'
import * as organisationModels from './organisation.ts'
import * as peopleModels from './people.ts'
import * as recordModels from './record.ts'
import * as repliesModels from './replies.ts'
import * as rulingsModels from './rulings.ts'
import * as schemaModels from './schema.ts'
import * as standbyModels from './standby.ts'
import * as storesModels from './stores.ts'
import * as selectionsModels from './selections.ts'
import * as upkeepModels from './upkeep.ts'
import * as whereaboutsModels from './whereabouts.ts'
import type { ModelOf } from './columns.ts'

/** Every model by the name code knows it by, in the order of its subjects. */
export const modelsByName: Readonly<Record<string, ModelOf>> = {
  ...organisationModels,
  ...peopleModels,
  ...messagesModels,
  ...deliveriesModels,
  ...learningModels,
  ...historyModels,
  ...listsModels,
  ...upkeepModels,
  ...mailRulesModels,
  ...repliesModels,
  ...rulingsModels,
  ...selectionsModels,
  ...recordModels,
  ...digestsModels,
  ...whereaboutsModels,
  ...doorsModels,
  ...storesModels,
  ...standbyModels,
  ...schemaModels,
}

/** Every table there is. */
export const allModels: readonly ModelOf[] = Object.values(modelsByName)
