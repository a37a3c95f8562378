import type { ZxcvbnFactory } from '@zxcvbn-ts/core'

/** Fewer guesses than this, by an attacker who knows common passwords and how people vary them, are too few. */
const fewestGuesses = 1e10
/** Beyond it nothing gets easier to guess; what is behind would only take time to look at. */
const lookedAt = 64

let guesser: Promise<ZxcvbnFactory> | null = null

/** The word lists are large, and needed only when somebody chooses a password. */
async function loadGuesser(): Promise<ZxcvbnFactory> {
  const [{ ZxcvbnFactory }, { adjacencyGraphs, dictionary }] = await Promise.all([
    import('@zxcvbn-ts/core'),
    import('@zxcvbn-ts/language-common'),
  ])
  return new ZxcvbnFactory({ dictionary: { ...dictionary }, graphs: adjacencyGraphs, maxLength: lookedAt })
}

/**
 * Whether a password is one of the common ones, a variation of them, or made of what everybody knows of its owner.
 * Estimated by zxcvbn (D. Wheeler, USENIX Security 2016) over its packaged lists.
 */
export async function isEasyToGuess(password: string, known: readonly string[]): Promise<boolean> {
  guesser ??= loadGuesser()
  const words = known
    .flatMap(text => text.toLowerCase().split(/[^\p{L}\p{N}]+/u))
    .filter(word => word.length > 2)
  return (await guesser).check(password.slice(0, lookedAt), words).guesses < fewestGuesses
}
