/** A point of a curve: where it is, its value, and how much it weighs. */
interface Point {
  readonly x: number
  readonly y: number
}

/** Points that share one value. */
interface Block {
  sum: number
  count: number
  xs: number[]
}

/**
 * The never-falling curve nearest to some points, by pooling adjacent violators (Barlow et al., "Statistical Inference under Order
 * Restrictions", 1972): the value at each point, in the order of x. Points with the same x share one value.
 */
export function isotonic(points: readonly Point[]): readonly Point[] {
  const sorted = [...points].sort((a, b) => a.x - b.x)
  const same: Block[] = []
  for (const { x, y } of sorted) {
    const last = same.at(-1)
    if (last?.xs[0] === x) {
      last.sum += y
      last.count += 1
      last.xs.push(x)
    } else same.push({ sum: y, count: 1, xs: [x] })
  }
  const blocks: Block[] = []
  for (const block of same) {
    blocks.push(block)
    pool(blocks)
  }
  return blocks.flatMap(({ sum, count, xs }) => xs.map(x => ({ x, y: sum / count })))
}

/** Joins the last blocks as long as one is lower than the one before it. */
function pool(blocks: Block[]): void {
  for (;;) {
    const last = blocks.at(-1)
    const before = blocks.at(-2)
    if (!last || !before || before.sum / before.count <= last.sum / last.count) return
    before.sum += last.sum
    before.count += last.count
    before.xs.push(...last.xs)
    blocks.pop()
  }
}
