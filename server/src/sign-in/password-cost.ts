import type { ScryptOptions } from 'node:crypto'

/** What guessing one password costs: 32 MB and about 60 ms. Stands in each hash, so that it can be raised later. */
export const passwordCost: Required<Pick<ScryptOptions, 'N' | 'r' | 'p'>> = { N: 2 ** 15, r: 8, p: 1 }
