import type { Weighed } from './context.ts'
import { observe, type Observed } from './evidence.ts'

/** A few hidden words are a preview line; more is text that is meant for machines. */
const preview = 40

/** Evidence that a message hides text. */
export function weighHiddenText({ message: { hiddenText } }: Weighed): readonly Observed[] {
  if (hiddenText.length <= preview) return []
  return [observe('hidden-text', { facts: { length: hiddenText.length }, raw: [['', hiddenText, 'hidden']] })]
}
