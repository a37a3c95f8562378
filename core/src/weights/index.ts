export {
  rangeOf,
  realShares,
  weightBounds,
  weights,
  weightsWith,
  type Finding,
  type Weights,
} from './weights.ts'
