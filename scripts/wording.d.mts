import type { Fault, Verified } from '../server/src/record/seal.ts'

export const words: {
  readonly interruptedFill: string
  readonly recordHolds: string
  readonly recordHoldsFrom: (head: string) => string
  readonly recordRead: (found: Verified) => string
  readonly recordFault: (fault: Fault) => string
}
