import i18next from 'i18next'
import { enCalibration } from '../../wording/en-calibration.ts'

// The area's texts come with its code.
i18next.addResourceBundle('en', 'translation', { calibration: enCalibration }, true)

export { CalibrationArea } from './calibration-area.tsx'
