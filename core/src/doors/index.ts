/** Doors: what can be done about a server that does not do its part, and what a domain's records say of its mail. */
export { adviceFor, advices, type Advice } from './advice.ts'
export {
  readDomain,
  type DmarcState,
  type DomainRecords,
  type DomainSays,
  type Exchanger,
  type Found,
  type KeyState,
  type MxState,
  type SpfState,
} from './domain-records.ts'
