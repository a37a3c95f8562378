export {
  composeDigest,
  type DigestInput,
  type DigestLine,
  type DigestText,
  type Translate,
} from './compose.ts'
