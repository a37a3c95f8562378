export { languageOf } from './language.ts'
