import type { RuleCondition } from './rule.ts'
import type { ReadRule } from './sieve-read.ts'

/** How the rules of two scripts differ. */
export interface RulesDifference {
  /** Rules that only the first has, in its order. */
  readonly there: readonly ReadRule[]
  /** Rules that only the second has, in its order. */
  readonly here: readonly ReadRule[]
  /** What both have stands in another order. */
  readonly isReordered: boolean
}

/**
 * What two scripts say of mail, where their lines differ: rules that say the same are the same, however they are written. A rule that
 * stands twice has to stand twice in the other, too.
 */
export function compareRules(there: readonly ReadRule[], here: readonly ReadRule[]): RulesDifference {
  const [onlyThere, onlyHere] = [without(there, here), without(here, there)]
  const both = (all: readonly ReadRule[], only: readonly ReadRule[]) =>
    all.filter(rule => !only.includes(rule)).map(meaningOf)
  const [first, second] = [both(there, onlyThere), both(here, onlyHere)]
  return {
    there: onlyThere,
    here: onlyHere,
    isReordered: first.some((rule, i) => rule !== second[i]),
  }
}

/** Rules of one script that the other has no counterpart for. */
function without(rules: readonly ReadRule[], others: readonly ReadRule[]): readonly ReadRule[] {
  const left = new Map<string, number>()
  for (const other of others) {
    const meaning = meaningOf(other)
    left.set(meaning, (left.get(meaning) ?? 0) + 1)
  }
  return rules.filter(rule => {
    const meaning = meaningOf(rule)
    const count = left.get(meaning) ?? 0
    left.set(meaning, count - 1)
    return count <= 0
  })
}

/** All that a rule says, as one text. Its name counts: it is what people know it by. */
const meaningOf = ({ name, needs, conditions, action: { hold, place, important, stop } }: ReadRule): string =>
  JSON.stringify([
    name,
    // Of a single condition "all" and "any" say the same.
    conditions.length > 1 ? needs : 'all',
    conditions.map(conditionOf),
    hold,
    place?.kind ?? null,
    place?.kind === 'folder' ? place.folder : '',
    important,
    stop,
  ])

const conditionOf = (condition: RuleCondition): readonly unknown[] =>
  condition.field === 'size'
    ? [condition.field, condition.test, condition.bytes]
    : [condition.field, condition.test, ...condition.values]
