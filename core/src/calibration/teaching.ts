/** A kept or delivered message nobody has ruled on. */
export interface Teachable {
  readonly id: number
  readonly score: number
  readonly cluster: string
  /** Deliveries of the same text. */
  readonly copies: number
}

/**
 * The messages whose ruling would teach most, best first, one a cluster: those the judgement is least sure of (uncertainty sampling, Lewis and
 * Gale, "A Sequential Algorithm for Training Text Classifiers", 1994), and of these the ones that most others are like.
 */
export function teachesMost<T extends Teachable>(all: readonly T[], most: number): readonly T[] {
  const worth = ({ score, copies }: Teachable) => {
    const p = score / 100
    return p * (1 - p) * (1 + Math.log2(Math.max(1, copies)) / 4)
  }
  const met = new Set<string>()
  return [...all]
    .sort((a, b) => worth(b) - worth(a) || a.id - b.id)
    .filter(({ cluster }) => !met.has(cluster) && met.add(cluster))
    .slice(0, most)
}
