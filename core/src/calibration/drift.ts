/** What mail can be grouped by, when asking where judgement is often wrong. */
export const driftKinds = ['sender', 'language', 'mail'] as const
/** One of {@link driftKinds}. */
export type DriftKind = (typeof driftKinds)[number]

/** A message people ruled on, and the groups it is of. */
export interface DriftSample {
  readonly id: number
  readonly isJunk: boolean
  /** It had been kept back and was wanted, or had got through and was junk. */
  readonly isWrong: boolean
  /** A value of each kind; '' where there is none to tell. */
  readonly of: Readonly<Record<DriftKind, string>>
}

/** A group of mail of which people think otherwise more often than of the rest. */
export interface Drift {
  readonly kind: DriftKind
  readonly value: string
  readonly rulings: number
  readonly wrong: number
  /** Of the wrong ones: kept back and wanted, got through and junk. */
  readonly held: number
  readonly missed: number
  /** The wrong ones, newest first. */
  readonly ids: readonly number[]
}

/** Fewer mistakes are chance. */
const fewest = 5

/**
 * Where judgement is often wrong, worst first: groups in which at least half of the rulings went against it, and more than elsewhere by more than
 * chance (the lower end of Wilson's interval at 95 %, "Probable Inference", 1927, above the share of the rest). What one sender explains is no
 * matter of its language or kind; samples are oldest first.
 */
export function findDrift(samples: readonly DriftSample[]): readonly Drift[] {
  const found: Drift[] = []
  let left = samples
  for (const kind of driftKinds) {
    const all = left.filter(({ isWrong }) => isWrong).length
    const isWorse = ({ wrong, rulings }: Drift) => {
      // Of no rest the share is no number, and nothing is above it.
      const rest = left.length - rulings
      return wilsonLow(wrong, rulings) > (all - wrong) / rest
    }
    const drifting = [...groupsOf(left, kind)]
      .map(([value, group]) => driftOf(kind, value, group))
      .filter(drift => drift.wrong >= fewest && drift.wrong * 2 >= drift.rulings && isWorse(drift))
    found.push(...drifting)
    const explained = new Set(drifting.map(({ value }) => value))
    left = left.filter(({ of }) => !explained.has(of[kind]))
  }
  return found.sort((a, b) => b.wrong - a.wrong || (a.value < b.value ? -1 : 1))
}

function groupsOf(samples: readonly DriftSample[], kind: DriftKind): ReadonlyMap<string, DriftSample[]> {
  const groups = new Map<string, DriftSample[]>()
  for (const sample of samples) {
    const value = sample.of[kind]
    if (value === '') continue
    const group = groups.get(value) ?? []
    groups.set(value, group)
    group.push(sample)
  }
  return groups
}

function driftOf(kind: DriftKind, value: string, group: readonly DriftSample[]): Drift {
  const wrong = group.filter(({ isWrong }) => isWrong)
  const missed = wrong.filter(({ isJunk }) => isJunk).length
  return {
    kind,
    value,
    rulings: group.length,
    wrong: wrong.length,
    held: wrong.length - missed,
    missed,
    ids: wrong.map(({ id }) => id).reverse(),
  }
}

/** The lower end of Wilson's score interval for a share, 95 %. */
export function wilsonLow(part: number, whole: number): number {
  if (whole === 0) return 0
  const z = 1.959963984540054
  const share = part / whole
  const middle = share + z ** 2 / (2 * whole)
  const spread = z * Math.sqrt((share * (1 - share)) / whole + z ** 2 / (4 * whole ** 2))
  return Math.max(0, (middle - spread) / (1 + z ** 2 / whole))
}
