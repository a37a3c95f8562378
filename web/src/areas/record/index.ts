import i18next from 'i18next'
import { enRecord } from '../../wording/en-record.ts'

// The area's texts come with its code, not with the first screen.
i18next.addResourceBundle('en', 'translation', { record: enRecord }, true)

export { RecordArea } from './record-area.tsx'
