import { displayDomain, parseDomain, type NamedAddress } from '../address/index.ts'
import type { Message } from '../message/index.ts'
import type { MailRule, RuleCondition, RuleField, RuleVerdict } from './rule.ts'

type Readable = Pick<Message, 'from' | 'to' | 'cc' | 'subject' | 'listId' | 'text'>

/** So much of a text is compared: rules are asked while the sender's server waits. */
const longestText = 64_000

/** The rules a message matches, in their order; the first is the one that decides. */
export function matchingRules(rules: readonly MailRule[], message: Readable): readonly RuleVerdict[] {
  // Folded once, and only what some rule asks for.
  const folded = new Map<RuleField, readonly string[]>()
  const valuesOf = (field: RuleField): readonly string[] => {
    const known = folded.get(field)
    if (known) return known
    const values = readField(field, message).map(caseless)
    folded.set(field, values)
    return values
  }
  const holds = ({ field, test, text }: RuleCondition) =>
    valuesOf(field).some(value => compare(test, value, caseless(text)))
  return rules
    .filter(({ needs, conditions }) =>
      needs === 'all' ? conditions.length > 0 && conditions.every(holds) : conditions.some(holds),
    )
    .map(verdictOf)
}

function verdictOf({ id, name, action }: MailRule): RuleVerdict {
  return action.kind === 'folder'
    ? { id, name, place: 'moved', folder: action.folder }
    : { id, name, place: action.kind, folder: '' }
}

function readField(field: RuleField, message: Readable): readonly string[] {
  switch (field) {
    case 'from':
      return message.from.flatMap(namesOf)
    case 'to':
      return [...message.to, ...message.cc].flatMap(namesOf)
    case 'subject':
      return [message.subject]
    case 'list':
      return message.listId === null ? [] : bothForms(message.listId)
    case 'body':
      return [message.text.slice(0, longestText)]
  }
}

/** Somebody is named by display name or by address; either may be what a rule asks for. */
const namesOf = ({ name, text }: NamedAddress): readonly string[] =>
  name === '' ? bothForms(text) : [name, ...bothForms(text)]

/** An address or a domain as DNS has it and as people write it (RFC 5890): a rule may have been written with either. */
function bothForms(text: string): readonly string[] {
  const at = text.lastIndexOf('@') + 1
  const domain = parseDomain(text.slice(at))
  if (!domain.ok || !domain.value.includes('xn--')) return [text]
  return [text.slice(0, at) + domain.value, text.slice(0, at) + displayDomain(domain.value)]
}

/** RFC 5051, i;unicode-casemap, as far as JavaScript's own tables go: no difference of case or of composition. */
const caseless = (text: string): string => text.normalize('NFKD').toLowerCase()

function compare(test: RuleCondition['test'], value: string, key: string): boolean {
  switch (test) {
    case 'is':
      return value === key
    case 'contains':
      return value.includes(key)
    case 'matches':
      return fitsWildcards(value, key)
  }
}

type Step = { readonly kind: 'any' | 'one' } | { readonly kind: 'text'; readonly text: string }

/** RFC 5228 §2.7.1. Goes back to the last `*` only, so that no pattern takes more than length × length steps. */
function fitsWildcards(value: string, pattern: string): boolean {
  const steps = readWildcards(pattern)
  // Code points: '?' is one character, whatever its size in UTF-16.
  const characters = [...value]
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
