import { dollar, quoted } from './sieve-text.ts'
import { storeFolder, type FilingFolders } from './filing.ts'
import type { MailRule, RuleAction, RuleCondition, RuleTest } from './rule.ts'

/** A rule that Sieve has no words for, and why. */
export interface LeftOut {
  readonly name: string
  /** 'kind': kinds of attachments go by content, which Sieve does not look at. */
  readonly why: 'kind'
}

export type Ruled = Pick<MailRule, 'name' | 'needs' | 'conditions' | 'action'>
/** Sieve knows no kinds of attachments by their content. */
type ToldCondition = Exclude<RuleCondition, { readonly field: 'kind' }>
type Told = Omit<Ruled, 'conditions'> & { readonly conditions: readonly ToldCondition[] }

export const canBeTold = (rule: Ruled): rule is Told => rule.conditions.every(({ field }) => field !== 'kind')

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

/** How a script is written. */
export interface WritingOptions {
  /** Other scripts are run after it, and a message that a rule has given a place is not theirs any more. */
  readonly settles?: boolean
  /** Where junk goes, and what is set aside. */
  readonly folders?: FilingFolders
}

/** Sieve has no places of its own for what they are for. */
export const usualFolders: FilingFolders = { junk: 'Junk', aside: 'Set aside' }

/**
 * Rules as a Sieve script (RFC 5228; fileinto, imap4flags of RFC 5232, mailbox of RFC 5490, body of RFC 5173, mime of RFC
 * 5703). Where several rules can speak to one message, variables (RFC 5229) hold what the first of them said.
 */
export function writeRules(
  rules: readonly Ruled[],
  vacation: Vacation | null = null,
  { settles = false, folders = usualFolders }: WritingOptions = {},
): {
  readonly script: string
  readonly left: readonly LeftOut[]
} {
  const told = rules.filter(canBeTold)
  const left = rules.filter(rule => !canBeTold(rule)).map(({ name }) => ({ name, why: 'kind' as const }))
  // One that stops settles all there is: only where others follow has anything to be kept in mind.
  const isPlain =
    !settles && vacation === null && told.every((rule, i) => i === told.length - 1 || isFinal(rule.action))
  const body = isPlain
    ? plainBody(told, folders)
    : `${mindingBody(told, folders)}${vacation ? answering(vacation).replaceAll(dollar, '${dollar}') : ''}${settles ? placedAndSettled : placed}`
  const script = `${requires(told, isPlain, vacation)}${headOf(folders)}${body}`
  return { script, left }
}

const plainBody = (rules: readonly Told[], folders: FilingFolders): string =>
  rules
    .map(rule => plain(rule, folders))
    .join('')
    .replaceAll(dollar, '$')
const mindingBody = (rules: readonly Told[], folders: FilingFolders): string =>
  `${beginning}${rules.map(rule => mindingOf(rule, folders)).join('')}${heldOf(folders)}`

export const mindingOf = (rule: Told, folders: FilingFolders): string =>
  minding(rule, folders).replaceAll(dollar, '${dollar}')
export const heldOf = (folders: FilingFolders): string => held(folders).replaceAll(dollar, '${dollar}')

export const foldersMark = '# folders '
/** Names that are not the usual ones are told, for whoever reads the script back. */
export const headOf = (folders: FilingFolders): string =>
  folders.junk === usualFolders.junk && folders.aside === usualFolders.aside && !isNamedOtherwise(folders)
    ? head
    : `${head}${foldersMark}${oneLine({ junk: folders.junk, aside: folders.aside, ...(isNamedOtherwise(folders) && namesOf(folders)) })}`
const namesOf = ({ separator = '/', prefix = '' }: FilingFolders) => ({ separator, prefix })
const isNamedOtherwise = (folders: FilingFolders): boolean => storeFolder('/', folders) !== '/'
/** As a comment: JSON lets two kinds of line ends through. */
const oneLine = (told: object): string => `${JSON.stringify(told).replace(/[\u2028\u2029]/g, ' ')}\n`

const head = `# Mail rules as a Sieve script (RFC 5228). Sieve knows no junk score: what a rule lets in
# is kept here, and what it discards is gone.
`
export const beginning = `set "dollar" "$";
set "hold" "";
set "place" "";
set "important" "";
set "stopped" "";
`
const held = ({ junk }: FilingFolders) => `if string :is "\${hold}" "discarded" {
  discard;
  stop;
}
if string :is "\${hold}" "junk" {
  fileinto ${quoted(junk)};
  stop;
}
if string :is "\${important}" "yes" {
  addflag "\\\\Flagged";
}
`
const filing = (more: string) => `if not string :is "\${place}" "" {
  fileinto :create "\${place}";
${more}}
`
export const placed = filing('')
export const placedAndSettled = filing('  stop;\n')
export const replyMark = '# automatic reply\n'

const isFiled = (place: RuleAction['place']): boolean => place !== null && place.kind !== 'inbox'

/** Nothing below can add to what it says. */
const isFinal = ({ stop, hold }: RuleAction): boolean => stop || hold === 'junk' || hold === 'discarded'

function requires(rules: readonly Told[], isPlain: boolean, vacation: Vacation | null): string {
  const fields = new Set(rules.flatMap(({ conditions }) => conditions.map(({ field }) => field)))
  const actions = rules.map(({ action }) => action)
  const needed = [
    ...(actions.some(({ hold, place }) => hold === 'junk' || isFiled(place)) || !isPlain ? ['fileinto'] : []),
    ...(actions.some(({ place }) => isFiled(place)) || !isPlain ? ['mailbox'] : []),
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
  return `${replyMark}if ${when} {\n${answers}}\n`
}

const folderOf = (place: RuleAction['place'], folders: FilingFolders): string | null =>
  place === null || place.kind === 'inbox'
    ? null
    : place.kind === 'folder'
      ? storeFolder(place.folder, folders)
      : folders.aside || null

const marked = ({ name, needs, conditions, action }: Ruled): string =>
  `${ruleMark}${oneLine({ name, needs, conditions, action })}`

export function plain(rule: Told, folders: FilingFolders): string {
  const { hold, place, important, stop } = rule.action
  const folder = folderOf(place, folders)
  const acts =
    hold === 'discarded'
      ? ['discard;', 'stop;']
      : hold === 'junk'
        ? [`fileinto ${quoted(folders.junk)};`, 'stop;']
        : [
            ...(important ? ['addflag "\\\\Flagged";'] : []),
            folder === null ? 'keep;' : `fileinto :create ${quoted(folder)};`,
            ...(stop ? ['stop;'] : []),
          ]
  return `${marked(rule)}if ${testOf(rule)} {\n${acts.map(act => `  ${act}\n`).join('')}}\n`
}

/** The first rule that answers a question answers it: what was said is kept until the end. */
function minding(rule: Told, folders: FilingFolders): string {
  const { hold, place, important, stop } = rule.action
  const first = (name: string, value: string) =>
    `  if string :is "\${${name}}" "" {\n    set "${name}" ${quoted(value)};\n  }\n`
  const folder = place === null ? null : (folderOf(place, folders) ?? 'INBOX')
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
