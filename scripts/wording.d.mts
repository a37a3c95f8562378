import type { StafferRow } from '../contract/src/index.ts'
import type { Fault, Verified } from '../server/src/record/seal.ts'

export const words: {
  readonly interruptedFill: string
  readonly recordHolds: string
  readonly staffer: (found: StafferRow) => string
  readonly stafferUnknown: (name: string) => string
  readonly stafferReset: (made: { readonly name: string; readonly password: string }) => string
  readonly recordHoldsFrom: (head: string) => string
  readonly recordRead: (found: Verified) => string
  readonly recordFault: (fault: Fault) => string
}
