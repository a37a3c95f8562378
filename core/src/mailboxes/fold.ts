import { parseAddress, parseDomain } from '../address/index.ts'
import { decide, type Decision } from '../judgement/index.ts'
import type { MailRule } from '../mail-rules/index.ts'
import type { ProposedEntry } from '../rulings/index.ts'
import { arrives } from '../rulings/index.ts'
import {
  indexRegister,
  isExpired,
  overlaps,
  patternText,
  widerPatterns,
  type SenderEntry,
  type SenderPattern,
} from '../senders/index.ts'
import type { SeenByRules } from './rules-reach.ts'

/** Why a rule stays a rule. */
export type Stays =
  /** It does more than to discard or to junk. */
  | 'does-more'
  /** It asks for more than who sent it. */
  | 'asks-more'
  /** A rule above could let the same mail in, or stop before it. */
  | 'rule-above'
  /** A safe entry decides about the same mail, and an entry would overrule that where the rule does not. */
  | 'safe-entry'
  /** Over the mail that was looked at, the entry would have done something else. */
  | 'replay'

/** What becomes of a mailbox's rules when those that only keep senders out become entries. */
export interface FoldPlan {
  /** Rules that go, with the patterns that stand in for them. `made`: those that get an entry; the rest is covered. */
  readonly folds: readonly {
    readonly rule: MailRule
    readonly patterns: readonly SenderPattern[]
    readonly made: readonly SenderPattern[]
  }[]
  readonly stays: readonly { readonly rule: MailRule; readonly why: Stays }[]
  readonly entries: readonly ProposedEntry[]
}

interface Given {
  readonly mailboxId: number
  /** The mailbox's own rules that are on, in their order. */
  readonly rules: readonly MailRule[]
  /** Live entries of the mailbox and of the organisation. */
  readonly entries: readonly SenderEntry[]
  /** Epoch ms. */
  readonly now: number
  /** Rules that a replay has shown to do something else. */
  readonly different?: ReadonlySet<number>
}

/**
 * Plans how rules that only discard or junk senders become blocked entries of the mailbox (domain.md §9): no message arrives
 * or is held that was not before. A discarded message is in the junk folder then, and can be found there.
 */
export function planFold({ mailboxId, rules, entries, now, different = new Set() }: Given): FoldPlan {
  const live = entries.filter(entry => !isExpired(entry, now))
  const safe = live.filter(({ standing, pattern }) => standing === 'safe' && pattern.kind !== 'list')
  const lasting = new Set(
    live
      .filter(({ standing, until }) => standing === 'blocked' && until === null)
      .map(({ pattern }) => patternText(pattern)),
  )
  const stays: { rule: MailRule; why: Stays }[] = []
  const found: { rule: MailRule; patterns: readonly SenderPattern[] }[] = []
  const above: MailRule[] = []
  for (const rule of rules) {
    const patterns = sendersOf(rule)
    const why: Stays | null = !isPlainBlock(rule)
      ? 'does-more'
      : patterns === null
        ? 'asks-more'
        : above.some(other => couldMeet(other, patterns))
          ? 'rule-above'
          : safe.some(({ pattern }) => patterns.some(one => overlaps(one, pattern)))
            ? 'safe-entry'
            : different.has(rule.id)
              ? 'replay'
              : null
    if (why !== null) {
      stays.push({ rule, why })
      if (rule.action.hold === 'let-in' || rule.action.stop) above.push(rule)
    } else found.push({ rule, patterns: patterns ?? [] })
  }
  const wanted = new Map(found.flatMap(({ patterns }) => patterns).map(one => [patternText(one), one]))
  const isCovered = (pattern: SenderPattern) =>
    lasting.has(patternText(pattern)) ||
    widerPatterns(pattern).some(wider => lasting.has(patternText(wider)) || wanted.has(patternText(wider)))
  const made = new Set<string>()
  const folds = found.map(({ rule, patterns }) => ({
    rule,
    patterns,
    made: patterns.filter(pattern => {
      const text = patternText(pattern)
      if (made.has(text) || isCovered(pattern)) return false
      made.add(text)
      return true
    }),
  }))
  return {
    folds,
    stays,
    entries: folds
      .flatMap(fold => fold.made)
      .map(pattern => ({
        pattern,
        standing: 'blocked',
        owner: { kind: 'mailbox', mailboxId },
        binding: false,
        withoutAuthentication: false,
        until: null,
      })),
  }
}

const isPlainBlock = ({ action: { hold, place, important } }: MailRule): boolean =>
  (hold === 'junk' || hold === 'discarded') && place === null && !important

/** The senders a rule asks for, when it asks for nothing else: whole addresses, or all of a domain. */
function sendersOf({ conditions, needs }: MailRule): readonly SenderPattern[] | null {
  if (conditions.length > 1 && needs === 'all') return null
  const patterns: SenderPattern[] = []
  for (const condition of conditions) {
    if (condition.field !== 'from' || (condition.test !== 'is' && condition.test !== 'matches')) return null
    for (const value of condition.values) {
      const pattern = condition.test === 'is' ? addressOf(value) : domainOf(value)
      if (pattern === null) return null
      patterns.push(pattern)
    }
  }
  return patterns.length === 0 ? null : patterns
}

function addressOf(value: string): SenderPattern | null {
  const parsed = parseAddress(value)
  return parsed.ok && parsed.value.local !== '' ? { kind: 'address', address: parsed.value } : null
}

/** `*@x.example`: every address of that domain and no other. */
function domainOf(value: string): SenderPattern | null {
  const typed = /^\*@([^*?\\]+)$/.exec(value)?.[1]
  const parsed = typed === undefined ? null : parseDomain(typed)
  return parsed?.ok ? { kind: 'domain', domain: parsed.value } : null
}

/** Whether a rule can match mail of one of the senders; one that names others can't. */
function couldMeet(rule: MailRule, patterns: readonly SenderPattern[]): boolean {
  const others = sendersOf(rule)
  return others === null || others.some(other => patterns.some(one => overlaps(one, other)))
}

/** What a fold would have done to mail already seen. */
export interface FoldReach {
  readonly looked: number
  readonly matched: number
  /** Held before and after, in another place: in the junk folder instead of discarded. */
  readonly elsewhere: number
  /** Rules whose entry would have held or let in something else. */
  readonly different: ReadonlySet<number>
}

/** Decides mail already seen by the rules and lists of today, and with rules folded into entries. */
export function foldReach(
  seen: readonly SeenByRules[],
  { folds, entries }: FoldPlan,
  register: readonly SenderEntry[],
  context: { readonly policy: { readonly ownDomains: readonly string[] }; readonly now: number },
): FoldReach {
  const added = entries.map((entry, i) => ({ ...entry, id: -1 - i }))
  const [before, after] = [indexRegister(register), indexRegister([...register, ...added])]
  const ruleOfText = new Map(
    folds.flatMap(({ rule, patterns }) => patterns.map(one => [patternText(one), rule.id])),
  )
  const folded = new Set(folds.map(({ rule }) => rule.id))
  const different = new Set<number>()
  let [matched, elsewhere] = [0, 0]
  for (const { facts, mailbox, before: rules } of seen) {
    const rest = rules.filter(({ id }) => !folded.has(id))
    if (rest.length < rules.length) matched += 1
    const look = (index: typeof before) => index.lookUp(facts.sender, mailbox.mailboxId)
    const was = decide({ ...facts, rules }, mailbox, look(before), context)
    const is = decide({ ...facts, rules: rest }, mailbox, look(after), context)
    if (arrives(was) === arrives(is)) {
      if (was.state !== is.state) elsewhere += 1
      continue
    }
    const culprits = [
      ...rules.filter(({ id }) => folded.has(id)).map(({ id }) => id),
      ...decidedBy(is).flatMap(text => ruleOfText.get(text) ?? []),
    ]
    for (const id of culprits) different.add(id)
  }
  return { looked: seen.length, matched, elsewhere, different }
}

const decidedBy = ({ path }: Decision): readonly string[] =>
  path.flatMap(line => ('decided' in line && line.decided ? [patternText(line.decided.pattern)] : []))
