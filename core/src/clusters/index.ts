export { clusterKey } from './key.ts'
export { bandsOf, fewestWords, likeness, sketchOf, type Sketch } from './sketch.ts'
