export { writeArf, type FeedbackType } from './arf.ts'
