export { mostLines, readDirectoryCsv, type ReadDirectory, type TableProblem } from './csv.ts'
export {
  directoryFields,
  type DirectoryEntry,
  type DirectoryField,
  type DirectoryLine,
  type DirectoryProblem,
  type KnownMailbox,
} from './entry.ts'
export { planDirectory, type DirectoryContext, type DirectoryPlan, type LineAnswer } from './plan.ts'
