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
  findOverruling,
  reach,
  takenFor,
  totalOf,
  type Place,
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
