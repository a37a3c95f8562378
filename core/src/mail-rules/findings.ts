import type { MailRule, RuleCondition, RuleVerdict } from './rule.ts'

/** What is odd about a rule; `by` is the rule above that makes it so. */
export type RuleFinding =
  /** It matched nothing that was looked at. */
  | { readonly kind: 'never' }
  /** It matches everything. */
  | { readonly kind: 'everything' }
  /** The same conditions and the same effect as one above. */
  | { readonly kind: 'repeats'; readonly by: number }
  /** Whatever it matched, a rule above had settled: it stopped there, or had answered all that this one answers. */
  | { readonly kind: 'unreachable'; readonly by: number }

/** How a rule did over mail already seen. */
export interface RuleWork {
  readonly id: number
  readonly matched: number
  /** It was asked and answered something that no rule above had answered. */
  readonly acted: number
  readonly finding: RuleFinding | null
}

const fewest = 20

/**
 * What each rule of one mailbox did over mail already seen: `verdicts` are those of each delivery, in order. Rules are in
 * their order; those that are off are not among them.
 */
export function rulesWork(
  rules: readonly MailRule[],
  verdicts: Iterable<readonly RuleVerdict[]>,
): readonly RuleWork[] {
  const matched = new Map<number, number>()
  const acted = new Map<number, number>()
  const blockers = new Map<number, Map<number, number>>()
  let looked = 0
  for (const said of verdicts) {
    looked += 1
    for (const { id, by } of reached(said)) {
      bump(matched, id)
      if (by === null) bump(acted, id)
      else {
        const known = blockers.get(id) ?? new Map<number, number>()
        bump(known, by)
        blockers.set(id, known)
      }
    }
  }
  const earlier = new Map<string, number>()
  return rules.map(rule => {
    const key = `${rule.owner} ${conditionsKey(rule)}`
    const same = earlier.get(`${key} ${JSON.stringify(rule.action)}`)
    const stopping = earlier.get(`${key} stop`)
    earlier.set(`${key} ${JSON.stringify(rule.action)}`, same ?? rule.id)
    if (rule.action.stop && stopping === undefined) earlier.set(`${key} stop`, rule.id)
    const counts = { id: rule.id, matched: matched.get(rule.id) ?? 0, acted: acted.get(rule.id) ?? 0 }
    const by = same ?? stopping
    const finding: RuleFinding | null =
      by !== undefined
        ? { kind: same !== undefined ? 'repeats' : 'unreachable', by }
        : isOpen(rule) || (looked >= fewest && counts.matched === looked)
          ? { kind: 'everything' }
          : counts.matched === 0
            ? looked >= fewest
              ? { kind: 'never' }
              : null
            : counts.acted === 0
              ? { kind: 'unreachable', by: mostOften(blockers.get(rule.id)) }
              : null
    return { ...counts, finding }
  })
}

/** Which of the verdicts had a say; `by`: the one above that left it none. */
function reached(
  said: readonly RuleVerdict[],
): readonly { readonly id: number; readonly by: number | null }[] {
  const answered: { hold?: number; place?: number; important?: number } = {}
  const stopped: { mailbox?: number; organisation?: number } = {}
  return said.map(({ id, owner, hold, place, important, stop }) => {
    const end = stopped[owner]
    if (end !== undefined) return { id, by: end }
    if (stop) stopped[owner] = id
    const before = [
      ...(hold === null ? [] : [answered.hold]),
      ...(place === null ? [] : [answered.place]),
      ...(important ? [answered.important] : []),
    ]
    if (hold !== null) answered.hold ??= id
    if (place !== null) answered.place ??= id
    if (important) answered.important ??= id
    const free = before.some(one => one === undefined)
    return { id, by: free ? null : (before[0] ?? null) }
  })
}

const bump = (counts: Map<number, number>, id: number) => counts.set(id, (counts.get(id) ?? 0) + 1)

const mostOften = (counts: ReadonlyMap<number, number> | undefined): number =>
  [...(counts ?? [])].sort(([, a], [, b]) => b - a)[0]?.[0] ?? 0

/** Alike whatever order conditions and values stand in, and in whatever case. */
export function conditionsKey({ needs, conditions }: Pick<MailRule, 'needs' | 'conditions'>): string {
  const one = (condition: RuleCondition): string =>
    condition.field === 'size'
      ? `size ${condition.test} ${condition.bytes}`
      : `${condition.field} ${condition.test} ${JSON.stringify([...new Set(condition.values.map(value => value.toLowerCase()))].sort())}`
  const all = [...new Set(conditions.map(one))].sort()
  return `${all.length === 1 ? 'all' : needs} ${all.join(' & ')}`
}

/** A pattern that takes whatever there is. */
const isOpen = ({ needs, conditions }: MailRule): boolean => {
  const open = (condition: RuleCondition) =>
    condition.field === 'size'
      ? condition.test === 'over' && condition.bytes === 0
      : condition.field !== 'kind' &&
        condition.field !== 'list' &&
        condition.field !== 'attachment' &&
        condition.test === 'matches' &&
        condition.values.some(value => /^\*+$/.test(value))
  return needs === 'all' ? conditions.every(open) : conditions.some(open)
}
