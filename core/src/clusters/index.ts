export { differences, type Differences, type Member } from './differences.ts'
export { clusterKey } from './key.ts'
export { bandsOf, fewestWords, likeness, sketchOf, type Sketch } from './sketch.ts'
