import { createHash } from 'node:crypto'
import type { Message } from '../message/index.ts'

/**
 * A key that is equal for messages with the same text: subject and body without case, digits, white space,
 * web addresses, e-mail addresses, a greeting line, and the marks of an answer. Mass mail varies just these.
 * 16 bytes as hex. Texts that differ in wording get different keys; sketch.ts measures how near they are.
 */
export function clusterKey(message: Pick<Message, 'subject' | 'text' | 'messageId'>): string {
  const subject = plain(
    message.subject.slice(0, 2000).replace(/^(?:(?:re|aw|sv|odp|fwd?|vs|vb)\s?:\s?)+/i, ''),
  )
  const body = plain(withoutGreeting(message.text).slice(0, 20_000))
  // A message without words is like no other; hashing '' would put all such messages together.
  const source = subject + body === '' ? `empty ${message.messageId ?? ''}` : `${subject}\n${body}`
  return createHash('sha256').update(source).digest('hex').slice(0, 32)
}

/** The text without a greeting in its first line: mass mail greets each by name. */
export function withoutGreeting(text: string): string {
  const [first = '', ...rest] = text.trimStart().split('\n')
  return first.length < 60 && /[,!:]\s*$/.test(first) ? rest.join('\n') : text
}

/** Words alone: no case, digits, punctuation, web or mail addresses. */
export function plain(text: string): string {
  return (
    text
      .toLowerCase()
      // Word by word: /\\S+@\\S+/ tries every start of a word without an @.
      .split(/\s+/)
      .map(word => (word.includes('@') ? '' : word.replace(/\bhttps?:\/\/.*/, '')))
      .join(' ')
      .replace(/[^\p{L}]+/gu, ' ')
      .trim()
  )
}
