import i18next from 'i18next'
import { enCalibration } from '../../wording/en-calibration.ts'
import { enRecord } from '../../wording/en-record.ts'
import { enWhereabouts } from '../../wording/en-whereabouts.ts'

// The area's texts come with its code, not with the first screen.
i18next.addResourceBundle(
  'en',
  'translation',
  { record: enRecord, whereabouts: enWhereabouts, calibration: enCalibration },
  true,
)

export { RecordArea } from './record-area.tsx'
