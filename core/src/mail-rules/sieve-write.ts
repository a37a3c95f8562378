import { dollar, quoted } from './sieve-text.ts'
import type { MailRule, RuleAction, RuleCondition, RuleTest } from './rule.ts'

/** A rule that Sieve has no words for, and why. */
export interface LeftOut {
  readonly name: string
  /** 'kind': kinds of attachments go by content, which Sieve does not look at. */
  readonly why: 'kind'
}

type Ruled = Pick<MailRule, 'name' | 'needs' | 'conditions' | 'action'>
/** Sieve knows no kinds of attachments by their content. */
type ToldCondition = Exclude<RuleCondition, { readonly field: 'kind' }>
type Told = Omit<Ruled, 'conditions'> & { readonly conditions: readonly ToldCondition[] }

const canBeTold = (rule: Ruled): rule is Told => rule.conditions.every(({ field }) => field !== 'kind')

/** What a mailbox answers by itself, as a script says it (RFC 5230). A subject of '' is left to the mail server. */
export interface Vacation {
  readonly days: number
  /** All addresses of the mailbox. */
  readonly addresses: readonly string[]
  readonly ownDomains: readonly string[]
  readonly inside: { readonly subject: string; readonly text: string } | null
  readonly outside: { readonly subject: string; readonly text: string } | null
  /** Only on these days, from the first to the one before the return; `null`: on every day. */
  readonly away: readonly { readonly from: string; readonly back: string }[] | null
}

/** In front of a rule as it is, for whoever reads the script back. */
export const ruleMark = '# rule '

/**
 * Rules as a Sieve script (RFC 5228; fileinto, imap4flags of RFC 5232, mailbox of RFC 5490, body of RFC 5173, mime of RFC
 * 5703). Where several rules can speak to one message, variables (RFC 5229) hold what the first of them said.
 */
export function writeRules(
  rules: readonly Ruled[],
  vacation: Vacation | null = null,
): {
  readonly script: string
  readonly left: readonly LeftOut[]
} {
  const told = rules.filter(canBeTold)
  const left = rules.filter(rule => !canBeTold(rule)).map(({ name }) => ({ name, why: 'kind' as const }))
  // One that stops settles all there is: only where others follow has anything to be kept in mind.
  const isPlain = vacation === null && told.every((rule, i) => i === told.length - 1 || isFinal(rule.action))
  const body = isPlain
    ? told.map(plain).join('').replaceAll(dollar, '$')
    : `${told.map(minding).join('').replaceAll(dollar, '${dollar}')}${ending}${vacation ? answering(vacation).replaceAll(dollar, '${dollar}') : ''}`
  const script = `${requires(told, isPlain, vacation)}${head}${isPlain ? '' : beginning}${body}`
  return { script, left }
}

const head = `# Mail rules as a Sieve script (RFC 5228). Sieve knows no junk score: what a rule lets in
# is kept here, and what it discards is gone.
`
const beginning = `set "dollar" "$";
set "hold" "";
set "place" "";
set "important" "";
set "stopped" "";
`
const ending = `if string :is "\${hold}" "discarded" {
  discard;
  stop;
}
if string :is "\${hold}" "junk" {
  fileinto "Junk";
  stop;
}
if string :is "\${important}" "yes" {
  addflag "\\\\Flagged";
}
if not string :is "\${place}" "" {
  fileinto :create "\${place}";
}
`

/** Nothing below can add to what it says. */
const isFinal = ({ stop, hold }: RuleAction): boolean => stop || hold === 'junk' || hold === 'discarded'

function requires(rules: readonly Told[], isPlain: boolean, vacation: Vacation | null): string {
  const fields = new Set(rules.flatMap(({ conditions }) => conditions.map(({ field }) => field)))
  const actions = rules.map(({ action }) => action)
  const needed = [
    ...(actions.some(({ hold, place }) => hold === 'junk' || folderOf(place) !== null) || !isPlain
      ? ['fileinto']
      : []),
    ...(actions.some(({ place }) => folderOf(place) !== null) || !isPlain ? ['mailbox'] : []),
    ...(actions.some(({ important }) => important) || !isPlain ? ['imap4flags'] : []),
    ...(fields.has('body') ? ['body'] : []),
    ...(fields.has('attachment') ? ['mime'] : []),
    ...(isPlain ? [] : ['variables']),
    ...(vacation ? ['vacation', 'date', 'relational'] : []),
  ]
  return needed.length === 0 ? '' : `require [${needed.map(name => `"${name}"`).join(', ')}];\n`
}

/** RFC 5230 §4; the days by the mail server's clock (RFC 5260 §4). What was held has stopped before. */
function answering({ days, addresses, ownDomains, inside, outside, away }: Vacation): string {
  const answer = (said: Vacation['inside'], indent: string): string =>
    said === null
      ? ''
      : `${indent}vacation :days ${days} :addresses ${list(addresses)}${said.subject === '' ? '' : ` :subject ${quoted(said.subject)}`} ${quoted(said.text)};\n`
  const isOurs = `address :domain :is "from" ${list(ownDomains)}`
  const answers = `  if ${isOurs} {\n${answer(inside, '    ')}  } else {\n${answer(outside, '    ')}  }\n`
  const when =
    away === null
      ? 'true'
      : away.length === 0
        ? 'false'
        : `anyof (${away
            .map(
              ({ from, back }) =>
                `allof (currentdate :value "ge" "date" ${quoted(from)}, currentdate :value "lt" "date" ${quoted(back)})`,
            )
            .join(',\n  ')})`
  return `# automatic reply\nif ${when} {\n${answers}}\n`
}

/** The folder of what is set aside is called so in Sieve, which has no such place of its own. */
const asideFolder = 'Set aside'
const folderOf = (place: RuleAction['place']): string | null =>
  place === null || place.kind === 'inbox' ? null : place.kind === 'folder' ? place.folder : asideFolder

const marked = ({ name, needs, conditions, action }: Ruled): string =>
  `${ruleMark}${JSON.stringify({ name, needs, conditions, action }).replace(/[\u2028\u2029]/g, ' ')}\n`

function plain(rule: Told): string {
  const { hold, place, important, stop } = rule.action
  const folder = folderOf(place)
  const acts =
    hold === 'discarded'
      ? ['discard;', 'stop;']
      : hold === 'junk'
        ? ['fileinto "Junk";', 'stop;']
        : [
            ...(important ? ['addflag "\\\\Flagged";'] : []),
            folder === null ? 'keep;' : `fileinto :create ${quoted(folder)};`,
            ...(stop ? ['stop;'] : []),
          ]
  return `${marked(rule)}if ${testOf(rule)} {\n${acts.map(act => `  ${act}\n`).join('')}}\n`
}

/** The first rule that answers a question answers it: what was said is kept until the end. */
function minding(rule: Told): string {
  const { hold, place, important, stop } = rule.action
  const first = (name: string, value: string) =>
    `  if string :is "\${${name}}" "" {\n    set "${name}" ${quoted(value)};\n  }\n`
  const folder = place?.kind === 'inbox' ? 'INBOX' : folderOf(place)
  const acts = [
    ...(hold === null ? [] : [first('hold', hold)]),
    ...(folder === null ? [] : [first('place', folder)]),
    ...(important ? ['  set "important" "yes";\n'] : []),
    ...(stop ? ['  set "stopped" "yes";\n'] : []),
  ]
  return `${marked(rule)}if allof (string :is "\${stopped}" "",\n  ${testOf(rule)}) {\n${acts.join('')}}\n`
}

function testOf({ needs, conditions }: Told): string {
  const tests = conditions.map(conditionTest)
  if (tests.length === 1) return tests[0] ?? 'false'
  return `${needs === 'all' ? 'allof' : 'anyof'} (${tests.join(',\n  ')})`
}

function conditionTest(condition: ToldCondition): string {
  if (condition.field === 'size') return `size :${condition.test} ${condition.bytes}`
  const { field, test, values } = condition
  switch (field) {
    case 'from':
      return peopleTest('"from"', test, values)
    case 'to':
      return peopleTest('["to", "cc"]', test, values)
    case 'subject':
      return `header ${compared(test)} "subject" ${keysOf(test, values)}`
    case 'body':
      return `body :text ${compared(test)} ${keysOf(test, values)}`
    case 'list':
      return `header ${listTest(test, values)}`
    case 'attachment':
      return `header :mime :anychild :param "filename" ${compared(test)} "content-disposition" ${keysOf(test, values)}`
  }
}

/** By address, or by the name in front of it, with or without quotes. */
function peopleTest(fields: string, test: RuleTest, values: readonly string[]): string {
  if (test === 'contains') return `header :contains ${fields} ${list(values)}`
  const patterns =
    test === 'matches' ? values : values.map(value => `${wild(value)}${test === 'begins' ? '*' : ''}`)
  const names = patterns.flatMap(pattern => [`${pattern} <*>`, `"${pattern}" <*>`])
  const address =
    test === 'is'
      ? `address :all :is ${fields} ${list(values)}`
      : `address :all :matches ${fields} ${list(patterns)}`
  return `anyof (${address},\n  header :matches ${fields} ${list(names)})`
}

function listTest(test: RuleTest, values: readonly string[]): string {
  if (test === 'is') return `:contains "list-id" ${list(values.map(value => `<${value}>`))}`
  const patterns = values.map(value =>
    test === 'contains' ? `*<*${wild(value)}*>*` : test === 'begins' ? `*<${wild(value)}*>*` : `*<${value}>*`,
  )
  return `:matches "list-id" ${list(patterns)}`
}

const compared = (test: RuleTest): string =>
  test === 'is' ? ':is' : test === 'contains' ? ':contains' : ':matches'

const keysOf = (test: RuleTest, values: readonly string[]): string =>
  list(test === 'begins' ? values.map(value => `${wild(value)}*`) : values)

const list = (values: readonly string[]): string =>
  values.length === 1 ? quoted(values[0] ?? '') : `[${values.map(quoted).join(', ')}]`

// §2.7.1: '*' and '?' of the text itself.
const wild = (text: string) => text.replace(/[*?\\]/g, '\\$&')
