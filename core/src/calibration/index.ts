export { brierScore, logLoss, rocArea, type Judged } from './quality.ts'
export { reliability, type ReliabilityBand } from './reliability.ts'
export { cheapestLimits, missedBelow, type Costs, type ScoreCounts } from './costs.ts'
export { teachesMost, type Teachable } from './teaching.ts'
export {
  fitWeights,
  furthestStep,
  isBetter,
  leastForWeights,
  weightLesson,
  type FittedWeights,
  type WeightLesson,
} from './fit-weights.ts'
export { driftKinds, findDrift, wilsonLow, type Drift, type DriftKind, type DriftSample } from './drift.ts'
