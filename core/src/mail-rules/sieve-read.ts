import { no, yes, type Parsed } from '../address/parsed.ts'
import type { MailRule, RuleAction, RuleCondition, RuleTest, TextField } from './rule.ts'
import {
  parseSieve,
  type SieveArgument,
  type SieveCommand,
  type SieveProblem,
  type SieveTest,
} from './sieve-syntax.ts'
import { readWritten } from './sieve-written.ts'

/** A rule as a script has it. */
export type ReadRule = Pick<MailRule, 'name' | 'needs' | 'conditions' | 'action'>

/** Why a part of a script could not be taken. */
export type SieveGap =
  /** `not`: our rules say what a message is, not what it is not. */
  | 'negated'
  | 'nested'
  | 'test'
  | 'header'
  | 'match'
  | 'action'
  | 'several-places'
  /** Acts outside of any test. */
  | 'always'
  /** `else` has no condition of its own. */
  | 'else'
  /** `elsif` after a branch that goes on with what follows. */
  | 'goes-on'
  /** It is taken; Sieve would file a message twice that also matches a later rule, Pendro files it once. */
  | 'once'
  /** A part of a script of ours that somebody has changed by hand. */
  | 'edited'
  | 'nothing'

/** One thing that was left out: the rule it belongs to is left out with it. `text`: the word it is about. */
export interface SieveLine {
  readonly line: number
  readonly why: SieveGap
  readonly text: string
}

/** What a script says that our rules can say, and what not. */
export interface ReadScript {
  readonly rules: readonly ReadRule[]
  readonly left: readonly SieveLine[]
}

/**
 * Rules of a script, as far as ours can say the same (RFC 5228). What can't be taken leaves its whole rule out: half a rule
 * would do something else.
 */
export function readRules(script: string): Parsed<ReadScript, SieveProblem> {
  const parsed = parseSieve(script)
  if (!parsed.ok) return parsed
  const ours = readOurs(script)
  if (ours !== null) return yes(ours)
  const rules: ReadRule[] = []
  const left: SieveLine[] = []
  const names = namesOf(script)
  const commands = parsed.value.filter(({ name }) => name !== 'require')
  for (const [i, command] of commands.entries()) {
    if (command.name === 'stop' && command.block === null) break
    if (command.name === 'keep') continue
    if (!['if', 'elsif', 'else'].includes(command.name)) {
      left.push({ line: command.line, why: 'always', text: command.name })
      continue
    }
    const rule = readBranch(commands, i, names(command.line))
    if (rule.ok) {
      rules.push(rule.value)
      if (isFiledTwice(rule.value.action, commands.slice(i + 1)))
        left.push({ line: command.line, why: 'once', text: rule.value.name })
    } else left.push(rule.problem)
  }
  return yes({ rules, left })
}

/** What whoever handed the script out said of rules that Sieve has no words for. */
const leftOutLines = /^(?:# Left out:[^\n]*\n)+/

/** What a script that we wrote says: rules that stand as they were, what somebody has changed, and what they have added. */
function readOurs(script: string): ReadScript | null {
  const [head = ''] = leftOutLines.exec(script) ?? []
  const ours = writtenOrNot(script.slice(head.length))
  if (ours === null) return null
  const before = linesBefore(head)
  const rules: ReadRule[] = []
  const left: SieveLine[] = []
  for (const part of ours.parts) {
    if ('rule' in part) {
      rules.push(part.rule)
      continue
    }
    const { line, text, script: changed } = part
    const read = changed === '' ? null : readRules(changed)
    // A rule that somebody has written in their own way may be one that ours can say.
    if (read?.ok === true && read.value.rules.length > 0) {
      rules.push(...read.value.rules)
      left.push(...read.value.left.map(one => ({ ...one, line: one.line + line - 1 + before })))
    } else left.push({ line: line + before, why: 'edited', text })
  }
  if (ours.added.trim() === '') return { rules, left }
  const added = readRules(ours.added)
  if (!added.ok) return null
  const start = linesBefore(script.slice(0, script.length - ours.added.length))
  return {
    rules: [...rules, ...added.value.rules],
    left: [...left, ...added.value.left.map(one => ({ ...one, line: one.line + start }))],
  }
}

const linesBefore = (text: string): number => text.split('\n').length - 1

/** Whoever has changed a mark may have left it in any shape. */
function writtenOrNot(script: string): ReturnType<typeof readWritten> {
  try {
    return readWritten(script)
  } catch {
    return null
  }
}

/** What a comment right above a command calls it; else its line. */
function namesOf(script: string): (line: number) => string {
  const lines = script.split('\n')
  return line => {
    const comment = (lines[line - 2] ?? '').slice(0, 300).trim()
    const above = /^#\s*(?:rule\s*:?\s*)?(\S.*)$/i.exec(comment)?.[1] ?? ''
    return above.replace(/^\[(.*)\]$/, '$1').slice(0, 120)
  }
}

function readBranch(
  commands: readonly SieveCommand[],
  at: number,
  name: string,
): Parsed<ReadRule, SieveLine> {
  const command = commands[at]
  if (!command) return no({ line: 0, why: 'nothing', text: '' })
  const { line, name: word, block } = command
  if (word === 'else') return no({ line, why: 'else', text: '' })
  const test = command.tests[0]
  if (!test || !block) return no({ line, why: 'test', text: word })
  const conditions = readTest(test)
  if (!conditions.ok) return conditions
  const action = readActions(block, line)
  if (!action.ok) return action
  // A later branch is asked only where this one does not hold; so are rules below one that stops.
  const isChained = ['elsif', 'else'].includes(commands[at + 1]?.name ?? '')
  const ends = commands.slice(at + 1).every(one => one.name === 'elsif' || one.name === 'else')
  if (isChained && !action.value.stop && !ends) return no({ line, why: 'goes-on', text: word })
  return yes({
    ...conditions.value,
    name: name || valuesOf(conditions.value.conditions)[0]?.slice(0, 120) || `${line}`,
    action: isChained ? { ...action.value, stop: true } : action.value,
  })
}

const files = (commands: readonly SieveCommand[]): boolean =>
  commands.some(({ name, block }) => name === 'fileinto' || (block !== null && files(block)))

const isFiledTwice = ({ place, stop }: RuleAction, later: readonly SieveCommand[]): boolean =>
  place?.kind === 'folder' && !stop && files(later)

const valuesOf = (conditions: readonly RuleCondition[]): readonly string[] =>
  conditions.flatMap(one => (one.field === 'size' ? [] : one.values))

type Conditions = Pick<ReadRule, 'needs' | 'conditions'>

function readTest(test: SieveTest): Parsed<Conditions, SieveLine> {
  if (test.name === 'allof' || test.name === 'anyof') {
    const found: RuleCondition[] = []
    for (const one of test.tests) {
      const read = readTest(one)
      if (!read.ok) return read
      const { needs, conditions } = read.value
      const wanted = test.name === 'allof' ? 'all' : 'any'
      const merged = conditions.length === 1 || needs === wanted ? conditions : merge(conditions, needs)
      if (!merged) return no({ line: one.line, why: 'nested', text: one.name })
      found.push(...merged)
    }
    const needs = test.name === 'allof' ? 'all' : 'any'
    const merged = needs === 'any' ? merge(found, 'any') : null
    return yes({ needs, conditions: merged ?? found })
  }
  const condition = readCondition(test)
  return condition.ok ? yes({ needs: 'all', conditions: [condition.value] }) : condition
}

/** Any of several values of one field is one condition. */
function merge(conditions: readonly RuleCondition[], needs: 'all' | 'any'): readonly RuleCondition[] | null {
  const [first] = conditions
  if (needs !== 'any' || !first || first.field === 'size' || first.field === 'kind') return null
  const isAlike = conditions.every(one => one.field === first.field && one.test === first.test)
  return isAlike ? [{ ...first, values: [...new Set(valuesOf(conditions))] }] : null
}

const textFields: Readonly<Record<string, TextField>> = {
  from: 'from',
  to: 'to',
  cc: 'to',
  'to,cc': 'to',
  subject: 'subject',
  'list-id': 'list',
}
const matchTests: Readonly<Record<string, RuleTest>> = { is: 'is', contains: 'contains', matches: 'matches' }

function readCondition({ name, arguments: args, line }: SieveTest): Parsed<RuleCondition, SieveLine> {
  const out = (why: SieveGap, text: string) => no({ line, why, text: text.slice(0, 60) })
  if (name === 'not') return out('negated', 'not')
  const tags = args.flatMap(one => (one.kind === 'tag' ? [one.tag] : []))
  if (name === 'size') {
    const size = args.find(one => one.kind === 'number')
    const [test] = tags
    return size?.kind === 'number' && (test === 'over' || test === 'under')
      ? yes({ field: 'size', test, bytes: Math.min(size.number, 1_000_000_000) })
      : out('test', 'size')
  }
  const strings = withoutComparator(args).filter(one => one.kind === 'strings')
  const test = matchOf(tags)
  if (!test) return out('match', tags.join(' '))
  if (name === 'body') return textCondition('body', test, strings[0], out)
  if (name !== 'header' && name !== 'address') return out('test', name)
  const fields = strings[0]?.kind === 'strings' ? strings[0].strings.map(one => one.toLowerCase()) : []
  const field = textFields[[...fields].sort((a, b) => (a < b ? 1 : -1)).join(',')]
  if (!field || strings.length < 2) return out('header', fields.join(', '))
  if (name === 'header' || !tags.includes('domain')) {
    if (tags.includes('localpart')) return out('match', 'localpart')
    return textCondition(field, test, strings[1], out)
  }
  const values = strings[1]?.kind === 'strings' ? strings[1].strings : []
  return test === 'is'
    ? textCondition(field, 'matches', { kind: 'strings', strings: values.map(one => `*@${wild(one)}`) }, out)
    : out('match', `domain ${test}`)
}

// §2.7.1: '*' and '?' of the text itself.
const wild = (text: string) => text.replace(/[*?\\]/g, '\\$&')

/** The match type of §2.7.1; `null` for one we do not have. */
function matchOf(tags: readonly string[]): RuleTest | null {
  const unknown = tags.find(tag => ['regex', 'count', 'value', 'user', 'detail', 'raw', 'mime'].includes(tag))
  if (unknown !== undefined) return null
  const match = tags.find(tag => tag in matchTests)
  return match === undefined ? 'is' : (matchTests[match] ?? null)
}

/** Without `:comparator` and its name: we compare as i;unicode-casemap does, whatever is asked. */
function withoutComparator(args: readonly SieveArgument[]): readonly SieveArgument[] {
  const at = args.findIndex(one => one.kind === 'tag' && one.tag === 'comparator')
  return at < 0 ? args : [...args.slice(0, at), ...args.slice(at + 2)]
}

function textCondition(
  field: TextField,
  test: RuleTest,
  given: SieveArgument | undefined,
  out: (why: SieveGap, text: string) => Parsed<RuleCondition, SieveLine>,
): Parsed<RuleCondition, SieveLine> {
  const typed = given?.kind === 'strings' ? given.strings.map(one => one.trim()) : []
  // A list's name is compared without its brackets, as it is kept.
  const values = field === 'list' ? typed.map(one => one.replace(/^<(.*)>$/, '$1')) : typed
  if (values.length === 0 || values.some(one => one === '' || one.length > 200)) return out('nothing', field)
  const began = test === 'matches' ? values.map(beginningOf) : []
  return began.length > 0 && began.every(one => one !== null)
    ? yes({ field, test: 'begins', values: began })
    : yes({ field, test, values })
}

/** What a pattern asks to be at the beginning, when that is all it asks. */
function beginningOf(pattern: string): string | null {
  const text = /^((?:[^*?\\]|\\[^])+)\*$/.exec(pattern)?.[1]
  return text === undefined ? null : text.replace(/\\([^])/g, '$1')
}

const junkFolders = new Set(['junk', 'spam', 'inbox/junk', 'inbox.junk', 'inbox/spam', 'inbox.spam'])

function readActions(block: readonly SieveCommand[], at: number): Parsed<RuleAction, SieveLine> {
  let action: RuleAction = { hold: null, place: null, important: false, stop: false }
  for (const command of block) {
    if (action.stop) break
    const read = withAct(action, command)
    if (!read.ok) return read
    action = read.value
  }
  const { hold, place, important } = action
  if (hold === null && place === null && !important) return no({ line: at, why: 'nothing', text: '' })
  return yes(action)
}

function withAct(
  action: RuleAction,
  { name, arguments: args, line, block }: SieveCommand,
): Parsed<RuleAction, SieveLine> {
  const out = (why: SieveGap) => no({ line, why, text: name })
  const strings = args.flatMap(one => (one.kind === 'strings' ? one.strings : []))
  const tags = args.flatMap(one => (one.kind === 'tag' ? [one.tag] : []))
  if (block !== null) return out('nested')
  switch (name) {
    case 'stop':
      return yes({ ...action, stop: true })
    case 'keep':
      return action.place === null ? yes({ ...action, place: { kind: 'inbox' } }) : out('several-places')
    case 'discard':
      return yes({ ...action, hold: 'discarded', place: null })
    case 'addflag':
    case 'setflag':
      return strings.length === 1 && strings[0]?.toLowerCase() === '\\flagged'
        ? yes({ ...action, important: true })
        : out('action')
    case 'fileinto': {
      const folder = (strings[0] ?? '').trim()
      if (tags.some(tag => tag !== 'create') || folder === '' || folder.length > 120) return out('action')
      if (action.place !== null) return out('several-places')
      if (junkFolders.has(folder.toLowerCase())) return yes({ ...action, hold: 'junk' })
      return yes({
        ...action,
        place: folder.toLowerCase() === 'inbox' ? { kind: 'inbox' } : { kind: 'folder', folder },
      })
    }
    default:
      return out('action')
  }
}
