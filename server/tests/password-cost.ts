/** In tests in the place of the server's own (vitest.config.ts): hundreds of tries are made, and nobody guesses. */
export const passwordCost = { N: 2 ** 10, r: 8, p: 1 }
