import type { MailRule, RuleCondition, RuleTest, RuleVerdict, RuleView, TextField } from './rule.ts'

/** The rules a message matches, in their order; what comes of them together is `settleRules`. */
export function matchingRules(rules: readonly MailRule[], view: RuleView): readonly RuleVerdict[] {
  if (rules.length === 0) return []
  // Folded once, and only what some rule asks for.
  const folded = new Map<TextField, readonly string[]>()
  const textsOf = (field: TextField): readonly string[] => {
    const known = folded.get(field)
    if (known) return known
    const texts = readField(field, view).map(caseless)
    folded.set(field, texts)
    return texts
  }
  const holds = (condition: RuleCondition): boolean => {
    if (condition.field === 'size')
      return condition.test === 'over' ? view.size > condition.bytes : view.size < condition.bytes
    if (condition.field === 'kind')
      return view.attachments.some(({ kind }) => kind !== null && condition.values.includes(kind))
    const texts = textsOf(condition.field)
    if (texts.length === 0) return false
    return condition.values.some(value => {
      const key = caseless(value)
      return texts.some(text => compare(condition.test, text, key))
    })
  }
  return rules
    .filter(({ needs, conditions }) =>
      needs === 'all' ? conditions.length > 0 && conditions.every(holds) : conditions.some(holds),
    )
    .map(verdictOf)
}

/** What the rules say of a message together. */
export interface RulesAnswer {
  /** The rule that decides whether it is held; `null`: none does. */
  readonly hold: RuleVerdict | null
  /** The rule that says where it goes, if it goes on. */
  readonly place: RuleVerdict | null
  readonly important: boolean
}

/**
 * The first rule that answers a question answers it; one that stops ends the list it is in, so that a colleague's own rule
 * keeps no rule of the organisation from being asked.
 */
export function settleRules(verdicts: readonly RuleVerdict[]): RulesAnswer {
  let [hold, place, important]: [RuleVerdict | null, RuleVerdict | null, boolean] = [null, null, false]
  const stopped = { mailbox: false, organisation: false }
  for (const verdict of verdicts) {
    if (stopped[verdict.owner]) continue
    if (verdict.hold !== null) hold ??= verdict
    if (verdict.place !== null) place ??= verdict
    important ||= verdict.important
    if (verdict.stop) stopped[verdict.owner] = true
  }
  return { hold, place, important }
}

/** What a rule says when it matches. */
export function verdictOf({ id, name, owner, action }: MailRule): RuleVerdict {
  const { hold, place, important, stop } = action
  const folder = place?.kind === 'folder' ? place.folder : ''
  return {
    id,
    name,
    owner,
    hold,
    place: folder ? 'moved' : placeNames[place?.kind ?? 'none'],
    folder,
    important,
    stop,
  }
}

const placeNames = { folder: 'moved', inbox: 'inbox', aside: 'aside', none: null } as const

function readField(field: TextField, view: RuleView): readonly string[] {
  switch (field) {
    case 'from':
    case 'to':
    case 'list':
      return view[field]
    case 'subject':
    case 'body':
      return [view[field]]
    case 'attachment':
      return view.attachments.map(({ name }) => name)
  }
}

/** RFC 5051, i;unicode-casemap, as far as JavaScript's own tables go: no difference of case or of composition. */
const caseless = (text: string): string => (isPlain.test(text) ? text : text.normalize('NFKD')).toLowerCase()

/** What normalising leaves as it is: nearly every address, and most rules. */
// eslint-disable-next-line no-control-regex -- all of ASCII
const isPlain = /^[\x00-\x7f]*$/

function compare(test: RuleTest, value: string, key: string): boolean {
  switch (test) {
    case 'is':
      return value === key
    case 'contains':
      return value.includes(key)
    case 'begins':
      return value.startsWith(key)
    case 'matches':
      return fitsWildcards(value, key)
  }
}

type Step = { readonly kind: 'any' | 'one' } | { readonly kind: 'text'; readonly text: string }

/** So much of a text is compared with a pattern. */
const longestWild = 8_000

/** RFC 5228 §2.7.1. Goes back to the last `*` only, so that no pattern takes more than length × length steps. */
function fitsWildcards(value: string, pattern: string): boolean {
  const steps = readWildcards(pattern)
  // Code points: '?' is one character, whatever its size in UTF-16.
  const characters = [...value.slice(0, longestWild)]
  let [at, step] = [0, 0]
  let again: { at: number; step: number } | null = null
  while (at < characters.length) {
    const wanted = steps[step]
    if (wanted?.kind === 'any') again = { at, step: (step += 1) }
    else if (
      wanted &&
      (wanted.kind === 'one' || (wanted.kind === 'text' && wanted.text === characters[at]))
    ) {
      at += 1
      step += 1
    } else if (again) {
      again = { at: again.at + 1, step: again.step }
      at = again.at
      step = again.step
    } else return false
  }
  return steps.slice(step).every(({ kind }) => kind === 'any')
}

function readWildcards(pattern: string): readonly Step[] {
  const steps: Step[] = []
  const characters = [...pattern]
  for (let i = 0; i < characters.length; i += 1) {
    const character = characters[i] ?? ''
    if (character === '*') steps.push({ kind: 'any' })
    else if (character === '?') steps.push({ kind: 'one' })
    else if (character === '\\' && i + 1 < characters.length)
      steps.push({ kind: 'text', text: characters[(i += 1)] ?? '' })
    else steps.push({ kind: 'text', text: character })
  }
  return steps
}
