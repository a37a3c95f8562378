export { mostContacts, readContacts, type AddressBook, type ReadContacts } from './contacts.ts'
export { writeCsv } from './csv.ts'
export { writeJson } from './json.ts'
export type { FileProblem, LineProblem, ListedEntry, ListFormat, ListLine } from './line.ts'
export {
  planImport,
  type FatedLine,
  type ImportContext,
  type ImportPlan,
  type LineFate,
} from './plan-import.ts'
export { decodeList, readList, type ReadList } from './read.ts'
export { writeSieve } from './sieve.ts'
export { writeText, type WrittenEntry } from './text.ts'
export { sendersIn, tidyPattern } from './tidy.ts'
