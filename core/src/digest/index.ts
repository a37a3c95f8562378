export { composeDigest, type DigestInput, type DigestLine, type DigestText } from './compose.ts'
