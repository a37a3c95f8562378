export {
  findBlockGap,
  findNarrower,
  narrowerPatterns,
  patternsBeside,
  type Beside,
  type BlockGap,
  type Narrower,
} from './beside.ts'
export {
  arrives,
  changesNothing,
  countReach,
  reach,
  takenFor,
  totalOf,
  type Reach,
  type ReachCount,
  type SeenDeliveries,
  type Split,
  type TakenFor,
} from './reach.ts'
export {
  findCaution,
  findRefusal,
  isBindingByDefault,
  noChange,
  planChange,
  type Caution,
  type ProposedEntry,
  type RegisterChange,
} from './register-change.ts'
