export { findLookalike, skeleton, type Lookalike } from './lookalikes.ts'
export { no, yes, type Parsed } from './parsed.ts'
export {
  covers,
  displayDomain,
  findOrganisationalDomain,
  isPublicSuffix,
  isSameOrganisation,
  parseDomain,
  type DomainProblem,
} from './domain.ts'
export {
  addressText,
  displayAddress,
  isSameAddress,
  parseAddress,
  withoutTag,
  type Address,
  type AddressProblem,
} from './address.ts'
export {
  decodeWords,
  encodeWords,
  parseMailboxes,
  readFromFields,
  type FromFields,
  type NamedAddress,
} from './mailboxes.ts'
