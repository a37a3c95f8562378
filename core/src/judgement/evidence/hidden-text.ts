import type { Weighed } from './context.ts'
import { evidence, type Evidence } from './evidence.ts'

/** A few hidden words are a preview line; more is text that is meant for machines. */
const preview = 40

/** Evidence that a message hides text. */
export function weighHiddenText({ message: { hiddenText } }: Weighed): readonly Evidence[] {
  if (hiddenText.length <= preview) return []
  return [
    evidence('hidden-text', { facts: { length: hiddenText.length }, raw: [['', hiddenText, 'hidden']] }),
  ]
}
