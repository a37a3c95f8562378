import i18next from 'i18next'
import { enDigests } from '../../wording/en-digests.ts'

// The area's texts come with its code, not with the first screen.
i18next.addResourceBundle('en', 'translation', { digests: enDigests }, true)

export { DigestsArea } from './digests-area.tsx'
