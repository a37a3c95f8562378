/** Places for whole tokens, and as many again for runs of characters: a power of two, so that a hash is folded by a mask. */
const space = 1 << 16
/** Weights of the linear model. */
export const gramSpace = 2 * space

const shortest = 2
const longest = 5
/** Runs say what words say once more, in parts: together they weigh half of what the words do. */
const runShare = 0.4

/**
 * What the linear model looks at in a message: each token whole, and runs of 2 to 5 characters inside it, edges of the
 * word included, hashed (Weinberger et al., "Feature Hashing for Large Scale Multitask Learning", 2009, without the
 * sign). How often each place was met, ascending by place.
 */
export interface Grams {
  readonly at: Uint32Array
  readonly count: Uint16Array
}

/** Most words of a message were in another one before: their places are kept, up to so many. */
const mostKept = 20_000
const kept = new Map<string, Uint32Array>()

/** The places of one token: the token itself first, then its runs, repeats included. */
export function placesOf(token: string): Uint32Array {
  const known = kept.get(token)
  if (known) return known
  const places = findPlaces(token)
  // Whoever writes words that nobody else does only makes it begin anew.
  if (kept.size >= mostKept) kept.clear()
  kept.set(token, places)
  return places
}

function findPlaces(token: string): Uint32Array {
  // Subject and text speak the same language; a sender's name, a link and punctuation each have one of their own.
  const kind = token.charCodeAt(1) === 0x3a ? token.charCodeAt(0) : 0
  const own = kind === 0x73 ? 0 : kind
  const word = ` ${kind === 0 ? token : token.slice(2)} `
  const seed = (0x811c9dc5 ^ own) >>> 0
  const places: number[] = [0]
  for (let start = 0; start < word.length; start += 1) {
    let hash = seed
    for (let n = 1; start + n <= word.length && (n <= longest || start === 0); n += 1) {
      hash = Math.imul(hash ^ word.charCodeAt(start + n - 1), 0x01000193) >>> 0
      if (n >= shortest && n <= longest) places.push(space + folded(hash))
    }
    if (start === 0) places[0] = folded(hash)
  }
  return new Uint32Array(places)
}

/** FNV-1a's low bits are weak for short strings; mixed once more (the finaliser of MurmurHash3). */
function folded(hash: number): number {
  let h = hash
  h = Math.imul(h ^ (h >>> 16), 0x85ebca6b)
  h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35)
  return (h ^ (h >>> 16)) & (space - 1)
}

/** Counted in, read out and set back to 0 each time: a table of its own would cost more than the counting. */
const tally = new Uint16Array(gramSpace)

/** All places of a message's tokens, repeated tokens as often as they stand. */
export const gramsOf = (tokens: readonly string[]): Grams =>
  counted(new Uint32Array(placesMet(tokens.map(placesOf))).sort())

/** Each place once; how often stands in `tally`. Counted by number: this is most of what judging a message costs. */
function placesMet(all: readonly Uint32Array[]): number[] {
  const met: number[] = []
  for (let t = 0; t < all.length; t += 1) {
    const places = all[t] ?? none
    for (let i = 0; i < places.length; i += 1) {
      const place = places[i] ?? 0
      const n = tally[place] ?? 0
      if (n === 0) met.push(place)
      if (n < 65_535) tally[place] = n + 1
    }
  }
  return met
}

const none = new Uint32Array()

function counted(at: Uint32Array): Grams {
  const count = new Uint16Array(at.length)
  for (let i = 0; i < at.length; i += 1) {
    const place = at[i] ?? 0
    count[i] = tally[place] ?? 0
    tally[place] = 0
  }
  return { at, count }
}

/** 1 + log n of the counts that there are in ordinary mail. */
const dampedCounts = Float64Array.from({ length: 64 }, (_, n) => 1 + Math.log(Math.max(1, n)))

/**
 * The value of each place: frequent ones damped by the logarithm, rare words strengthened (Salton and Buckley,
 * "Term-weighting approaches in automatic text retrieval", 1988), and each half brought to a length of its own, so that a long text
 * weighs no more than a short one.
 */
export function valuesOf({ at, count }: Grams, rarity: Float32Array): Float32Array {
  const value = new Float32Array(at.length)
  let words = 0
  let runs = 0
  for (let i = 0; i < at.length; i += 1) {
    const place = at[i] ?? 0
    const n = count[i] ?? 1
    const one = (dampedCounts[n] ?? 1 + Math.log(n)) * (rarity[place] ?? 0)
    value[i] = one
    if (place < space) words += one * one
    else runs += one * one
  }
  const [ofWords, ofRuns] = [1 / (Math.sqrt(words) || 1), runShare / (Math.sqrt(runs) || 1)]
  for (let i = 0; i < at.length; i += 1)
    value[i] = (value[i] ?? 0) * ((at[i] ?? 0) < space ? ofWords : ofRuns)
  return value
}

/** What one occurrence of each place says in the message that is looked at; 0 between messages. */
const said = new Float32Array(gramSpace)

/**
 * What a linear model says of each of some different tokens, `times` as often as they stand in the message, and of all of them. The values of
 * places are those of {@link valuesOf}; made on the way, since judging a message needs them once.
 */
export function tokensSay(
  tokens: readonly string[],
  times: readonly number[],
  { weights, rarity }: { readonly weights: Float32Array; readonly rarity: Float32Array },
): { readonly each: Float64Array; readonly sum: number } {
  const all = tokens.map(placesOf)
  const met: number[] = []
  for (let t = 0; t < all.length; t += 1) {
    const places = all[t] ?? none
    const n = times[t] ?? 1
    for (let i = 0; i < places.length; i += 1) {
      const place = places[i] ?? 0
      const before = tally[place] ?? 0
      if (before === 0) met.push(place)
      tally[place] = before + n
    }
  }
  const sum = weighPlaces(met, weights, rarity)
  const each = new Float64Array(tokens.length)
  for (let t = 0; t < all.length; t += 1) {
    const places = all[t] ?? none
    let own = 0
    for (let i = 0; i < places.length; i += 1) own += said[places[i] ?? 0] ?? 0
    each[t] = own * (times[t] ?? 1)
  }
  // Each message leaves them as it found them.
  for (let i = 0; i < met.length; i += 1) said[met[i] ?? 0] = 0
  return { each, sum }
}

/** From how often each place was met to what one occurrence says; what all of them say. */
function weighPlaces(met: readonly number[], weights: Float32Array, rarity: Float32Array): number {
  let words = 0
  let runs = 0
  for (let i = 0; i < met.length; i += 1) {
    const place = met[i] ?? 0
    const n = tally[place] ?? 1
    const one = (dampedCounts[n] ?? 1 + Math.log(n)) * (rarity[place] ?? 0)
    said[place] = one
    if (place < space) words += one * one
    else runs += one * one
  }
  const [ofWords, ofRuns] = [1 / (Math.sqrt(words) || 1), runShare / (Math.sqrt(runs) || 1)]
  let sum = 0
  for (let i = 0; i < met.length; i += 1) {
    const place = met[i] ?? 0
    const whole = (weights[place] ?? 0) * (said[place] ?? 0) * (place < space ? ofWords : ofRuns)
    sum += whole
    said[place] = whole / (tally[place] ?? 1)
    tally[place] = 0
  }
  return sum
}
