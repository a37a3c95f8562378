export { replayHistory, type HistoryMessage, type HistoryVerdict, type Replayed } from './replay.ts'
