export { evaluateDmarc, isAligned, parseDmarcRecord, type AlignmentMode, type DmarcRecord } from './dmarc.ts'
export { cachedResolver, withTimeLimit, type Resolve } from './resolve.ts'
export { findClientIp, verifyAuthentication, type Connection } from './verify.ts'
