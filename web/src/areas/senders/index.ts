import i18next from 'i18next'
import { enLists } from '@pendro/contract/wording/en-lists'
import { enSenders } from '../../wording/en-senders.ts'

i18next.addResourceBundle('en', 'translation', { senders: enSenders, ...enLists }, true)

export { BringIn } from './bring-in.tsx'
export { SendersArea } from './senders-area.tsx'
