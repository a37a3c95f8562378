import { rocArea, teachesMost } from '@pendro/core/calibration'
import { classify, fitText, type TextKnowledge, type TextLesson } from '@pendro/core/judgement'
import { countsOf } from '../core/tests/lessons.ts'
import { isHeldOut, spambase } from '../core/tests/spambase.ts'

const begins = 100
const batch = 25
const most = 600

/** How well a text model judges, after so many rulings. */
export interface Taught {
  readonly rulings: number
  readonly inOrder: number
  readonly byWorth: number
}

/** What is ruled on, and what is judged. */
interface Part {
  readonly pool: readonly TextLesson[]
  readonly test: readonly TextLesson[]
}

/** Spambase in five parts; rows without any of its words are left out. */
export function spambaseParts(): readonly Part[] {
  const lessons = spambase().filter(({ tokens }) => tokens.length > 0)
  return Array.from({ length: 5 }, (_, fold) => ({
    test: lessons.filter((__, i) => isHeldOut(i, fold)),
    pool: lessons.filter((__, i) => !isHeldOut(i, fold)),
  }))
}

/**
 * Rulings in the order in which messages came in, against rulings on what would teach most (`teachesMost`): the same pool, the same first hundred, area
 * under the curve on messages of another part; means over the parts.
 */
export function benchTeaching(parts: readonly Part[]): readonly Taught[] {
  const sums = new Map<number, { inOrder: number; byWorth: number; folds: number }>()
  for (const { pool, test } of parts) {
    // As mail comes in: in no order of its own.
    const shuffled = pool
      .map((lesson, i) => ({ lesson, place: Math.imul(i + 1, 2_654_435_761) >>> 0 }))
      .sort((one, other) => one.place - other.place)
      .map(({ lesson }) => lesson)
    const areas = [inOrder, byWorth].map(choose => run(shuffled, test, choose))
    areas[0]?.forEach((area, rulings) => {
      const sum = sums.get(rulings) ?? { inOrder: 0, byWorth: 0, folds: 0 }
      sums.set(rulings, {
        inOrder: sum.inOrder + area,
        byWorth: sum.byWorth + (areas[1]?.get(rulings) ?? 0),
        folds: sum.folds + 1,
      })
    })
  }
  return [...sums].map(([rulings, { inOrder: one, byWorth: other, folds }]) => ({
    rulings,
    inOrder: one / folds,
    byWorth: other / folds,
  }))
}

type Choose = (left: readonly TextLesson[], known: TextKnowledge) => readonly TextLesson[]

const inOrder: Choose = left => left.slice(0, batch)

const byWorth: Choose = (left, known) => {
  const judged = left.map((lesson, id) => ({
    id,
    score: scoreOf(lesson, known),
    cluster: String(id),
    copies: 1,
  }))
  return teachesMost(judged, batch).flatMap(({ id }) => left[id] ?? [])
}

function run(
  pool: readonly TextLesson[],
  test: readonly TextLesson[],
  choose: Choose,
): ReadonlyMap<number, number> {
  const areas = new Map<number, number>()
  let ruled = pool.slice(0, begins)
  let left = pool.slice(begins)
  for (;;) {
    const counts = countsOf(ruled)
    const known = { ...counts, ...fitText(ruled, counts), furthest: Infinity }
    const said = test.map(lesson => ({ said: scoreOf(lesson, known) / 100, isJunk: lesson.isJunk }))
    areas.set(ruled.length, rocArea(said) ?? 0.5)
    if (ruled.length >= most) return areas
    const chosen = new Set(choose(left, known))
    ruled = [...ruled, ...chosen]
    left = left.filter(lesson => !chosen.has(lesson))
  }
}

/** As the score has it: with the share of junk among what was ruled on. */
function scoreOf({ tokens }: TextLesson, known: TextKnowledge): number {
  const prior = Math.log(Math.max(1, known.total.junk) / Math.max(1, known.total.wanted))
  return 100 / (1 + Math.exp(-((classify(tokens, known)?.logOdds ?? 0) + prior)))
}
