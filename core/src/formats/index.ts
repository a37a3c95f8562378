export { writeArf, type FeedbackType } from './arf.ts'
export { createMboxReader, isMbox, type MboxItem, type MboxReader } from './mbox.ts'
