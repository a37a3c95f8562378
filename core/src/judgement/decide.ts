import { settleRules, type RulesAnswer, type RuleVerdict } from '../mail-rules/index.ts'
import {
  consultList,
  type ListVerdict,
  type RefusedEntry,
  type Register,
  type SenderEntry,
  type SenderFacts,
} from '../senders/index.ts'
import type { JudgedState } from '../delivery/index.ts'
import type { MailboxPolicy, OrganisationPolicy } from './organisation.ts'

/** Everything deciding needs of a delivery: kept with it, so that it can be decided again at any time. */
export interface DeliveryFacts {
  readonly sender: SenderFacts
  /** Name and kind of what makes the message harmful; `null` when nothing does. */
  readonly harm: { readonly name: string; readonly danger: string } | null
  readonly score: number
  readonly bulk: boolean
  /** The message could not be read; it is quarantined unless a list decides. */
  readonly unreadable: boolean
  /** Mail rules that the message matches: the mailbox's in their order, then the organisation's. */
  readonly rules: readonly RuleVerdict[]
}

/** A stage that asks sender lists. */
export type ListStage = 'binding' | 'personal' | 'organisation'

/** What one stage of the decision path said. */
export type PathLine =
  | { readonly stage: 'harm'; readonly outcome: 'clear' }
  | { readonly stage: 'harm'; readonly outcome: 'decided'; readonly name: string; readonly danger: string }
  | {
      readonly stage: ListStage
      /** 'silent': no entry matched and counted. 'late': an earlier stage had decided. */
      readonly outcome: 'decided' | 'silent' | 'late'
      readonly decided: SenderEntry | null
      readonly overruled: readonly SenderEntry[]
      readonly refused: readonly RefusedEntry[]
    }
  | {
      readonly stage: 'rules'
      readonly outcome: 'decided' | 'silent' | 'late'
      /** Those that say whether it is held. The first decided, unless an earlier stage had; the others would have matched. */
      readonly rules: readonly RuleVerdict[]
    }
  | { readonly stage: 'switched-off'; readonly outcome: 'decided' | 'silent' | 'late' }
  | {
      readonly stage: 'score'
      readonly outcome: 'decided' | 'late'
      readonly score: number
      readonly limit: number
      readonly verdict: 'under' | 'aside' | 'junk' | 'quarantined' | 'near-certain' | 'unreadable'
    }
  | {
      /** Only where nothing is held back yet: what would have become of it. */
      readonly stage: 'watching'
      /** 'silent': it would have gone on anyway. 'late': harm is sealed all the same. */
      readonly outcome: 'decided' | 'silent' | 'late'
      readonly would: JudgedState | null
    }
  | {
      /** Where it goes when it goes on: another question than whether it does. */
      readonly stage: 'placing'
      /** 'late': it is held, so that no place was asked for. */
      readonly outcome: 'decided' | 'silent' | 'late'
      /** Those that say where, or mark it; the first that says where decided. */
      readonly rules: readonly RuleVerdict[]
    }

/** The ordered checks a delivery went through, and where it goes. */
export interface Decision {
  readonly state: JudgedState
  /** The stage that decided whether it is held. */
  readonly decidedBy: Exclude<PathLine['stage'], 'placing' | 'watching'>
  readonly path: readonly PathLine[]
  /** Kept back, but not named in digests. */
  readonly leftOut: boolean
  /** Where it would have been kept, if mail were held back here; `null` when it goes where it would go anyway. */
  readonly would: JudgedState | null
  /** '' unless `state` is 'moved'. */
  readonly folder: string
  /** A rule marks it as important; only what goes on is marked. */
  readonly important: boolean
}

interface Outcome {
  readonly state: JudgedState
  readonly leftOut: boolean
}

interface Settled {
  readonly outcome: Outcome
  readonly by: Decision['decidedBy']
}

/**
 * The one judge (domain.md §3): the same function decides a live message, a preview of reach and every
 * "would it come through?". The first stage that decides wins; each leaves a line in the path.
 */
export function decide(
  facts: DeliveryFacts,
  mailbox: MailboxPolicy,
  register: Register,
  { policy, now }: { policy: Pick<OrganisationPolicy, 'ownDomains'>; now: number },
): Decision {
  // A replay decides a million deliveries, nearly all of which meet no entry: their lines are made once.
  const path: PathLine[] = []
  let settled: Settled | null = null

  if (facts.harm) {
    path.push({ stage: 'harm', outcome: 'decided', ...facts.harm })
    settled = { outcome: sealed, by: 'harm' }
  } else path.push(clear)

  for (const stage of listStages) {
    const entries = entriesOf(stage, register)
    if (entries.length === 0) {
      path.push(settled === null ? silentLines[stage] : lateLines[stage])
      continue
    }
    const verdict = consultList(entries, facts.sender, {
      // Common practice: in one person's list safe cancels blocked; the organisation plays it safe.
      tie: stage === 'personal' ? 'safe' : 'blocked',
      ownDomains: policy.ownDomains,
      now,
    })
    path.push(listLine(stage, verdict, settled !== null))
    if (settled === null && verdict.decided !== null)
      settled = { outcome: listOutcome(stage, verdict.decided), by: stage }
  }

  const rules = facts.rules.length === 0 ? noAnswer : settleRules(facts.rules)
  path.push(rulesLine(facts.rules, rules.hold, settled !== null))
  if (settled === null && rules.hold?.hold) settled = { outcome: ruleOutcomes[rules.hold.hold], by: 'rules' }

  path.push(settled !== null ? switchedOffLate : mailbox.filtering ? switchedOffSilent : switchedOffDecided)
  if (settled === null && !mailbox.filtering) settled = { outcome: inbox, by: 'switched-off' }

  const scored = byScore(facts, mailbox)
  path.push({
    stage: 'score',
    outcome: settled !== null ? 'late' : 'decided',
    score: facts.score,
    limit: scored.limit,
    verdict: scored.verdict,
  })
  const outcome = settled?.outcome ?? scored.outcome
  // What a colleague or a rule junks never weakens: the score's place holds where it is the stricter one, and where the score
  // is asked at all.
  const isJunked =
    mailbox.filtering &&
    (settled?.by === 'personal' || settled?.by === 'rules') &&
    settled.outcome.state === 'junk'
  const meant = isJunked ? stricter(outcome, scored.outcome) : outcome
  const would = mailbox.watching === true && isHeldBack(meant) ? meant.state : null
  if (mailbox.watching === true) path.push(watchingLine(meant, would))
  const { state, leftOut } = would === null ? meant : inbox
  const goesOn = state === 'inbox' || state === 'aside'
  path.push(placingLine(facts.rules, rules.place, goesOn))
  return {
    state: (goesOn && rules.place?.place) || state,
    leftOut,
    would,
    decidedBy: settled?.by ?? 'score',
    path,
    folder: goesOn ? (rules.place?.folder ?? '') : '',
    important: goesOn && rules.important,
  }
}

const noAnswer: RulesAnswer = { hold: null, place: null, important: false }

/** Of two places the one that keeps back more. */
const stricter = (one: Outcome, other: Outcome): Outcome =>
  strictness(other) > strictness(one) ? other : one
const strictness = ({ state, leftOut }: Outcome): number =>
  state === 'quarantined' ? (leftOut ? 3 : 2) : state === 'junk' ? 1 : 0

/** Harm is sealed even where mail is only watched. */
const isHeldBack = ({ state }: Outcome): boolean =>
  state === 'junk' || state === 'quarantined' || state === 'discarded'

const watchingLine = ({ state }: Outcome, would: JudgedState | null): PathLine => ({
  stage: 'watching',
  outcome: would !== null ? 'decided' : state === 'sealed' ? 'late' : 'silent',
  would,
})

const listStages = ['binding', 'personal', 'organisation'] as const
const inbox: Outcome = { state: 'inbox', leftOut: false }
const sealed: Outcome = { state: 'sealed', leftOut: true }
const clear: PathLine = { stage: 'harm', outcome: 'clear' }
const ruleOutcomes: Readonly<Record<NonNullable<RuleVerdict['hold']>, Outcome>> = {
  'let-in': inbox,
  junk: { state: 'junk', leftOut: false },
  discarded: { state: 'discarded', leftOut: false },
}
const rulesSilent: PathLine = { stage: 'rules', outcome: 'silent', rules: [] }
const rulesLate: PathLine = { stage: 'rules', outcome: 'late', rules: [] }
const placingSilent: PathLine = { stage: 'placing', outcome: 'silent', rules: [] }
const placingLate: PathLine = { stage: 'placing', outcome: 'late', rules: [] }
const switchedOffLate: PathLine = { stage: 'switched-off', outcome: 'late' }
const switchedOffSilent: PathLine = { stage: 'switched-off', outcome: 'silent' }
const switchedOffDecided: PathLine = { stage: 'switched-off', outcome: 'decided' }

const emptyLines = (outcome: 'silent' | 'late'): Readonly<Record<ListStage, PathLine>> => ({
  binding: { stage: 'binding', outcome, decided: null, overruled: [], refused: [] },
  personal: { stage: 'personal', outcome, decided: null, overruled: [], refused: [] },
  organisation: { stage: 'organisation', outcome, decided: null, overruled: [], refused: [] },
})
const silentLines = emptyLines('silent')
const lateLines = emptyLines('late')

function entriesOf(stage: ListStage, { organisation, mailbox }: Register): readonly SenderEntry[] {
  if (stage === 'personal') return mailbox
  if (organisation.length === 0) return organisation
  const isBinding = stage === 'binding'
  // A copy only where the two stages really part it.
  if (organisation.every(({ binding }) => binding === isBinding)) return organisation
  return organisation.filter(({ binding }) => binding === isBinding)
}

function rulesLine(rules: readonly RuleVerdict[], decided: RuleVerdict | null, late: boolean): PathLine {
  const speaking = rules.length === 0 ? rules : rules.filter(({ hold }) => hold !== null)
  if (speaking.length === 0) return late ? rulesLate : rulesSilent
  return {
    stage: 'rules',
    outcome: late ? 'late' : decided ? 'decided' : 'silent',
    rules: firstOf(decided, speaking),
  }
}

function placingLine(rules: readonly RuleVerdict[], decided: RuleVerdict | null, goesOn: boolean): PathLine {
  const speaking =
    rules.length === 0 ? rules : rules.filter(({ place, important }) => place !== null || important)
  if (speaking.length === 0) return goesOn ? placingSilent : placingLate
  return {
    stage: 'placing',
    outcome: !goesOn ? 'late' : decided ? 'decided' : 'silent',
    rules: firstOf(decided, speaking),
  }
}

/** The one that decided, then the others in their order. */
const firstOf = (decided: RuleVerdict | null, rules: readonly RuleVerdict[]): readonly RuleVerdict[] =>
  decided === null || rules[0] === decided ? rules : [decided, ...rules.filter(rule => rule !== decided)]

function listLine(stage: ListStage, { decided, overruled, refused }: ListVerdict, late: boolean): PathLine {
  const outcome = late ? 'late' : decided ? 'decided' : 'silent'
  // Behind a stage that had already decided even the best match of this list was overruled.
  if (late && decided) return { stage, outcome, decided: null, overruled: [decided, ...overruled], refused }
  return { stage, outcome, decided, overruled, refused }
}

function listOutcome(stage: ListStage, { standing }: SenderEntry): Outcome {
  if (standing === 'safe') return inbox
  return stage === 'personal' ? { state: 'junk', leftOut: false } : { state: 'quarantined', leftOut: true }
}

type ScoreVerdict = (PathLine & { stage: 'score' })['verdict']
interface Scored {
  readonly outcome: Outcome
  readonly limit: number
  readonly verdict: ScoreVerdict
}

function byScore(
  { score, bulk, unreadable }: DeliveryFacts,
  { limits, usesSetAside }: MailboxPolicy,
): Scored {
  const { junk, quarantined, nearCertain } = limits
  const keptBack: Outcome = { state: 'quarantined', leftOut: false }
  if (unreadable) return { outcome: keptBack, limit: quarantined, verdict: 'unreadable' }
  if (score >= nearCertain)
    return { outcome: { state: 'quarantined', leftOut: true }, limit: nearCertain, verdict: 'near-certain' }
  if (score >= quarantined) return { outcome: keptBack, limit: quarantined, verdict: 'quarantined' }
  if (score >= junk) return { outcome: { state: 'junk', leftOut: false }, limit: junk, verdict: 'junk' }
  if (bulk && usesSetAside)
    return { outcome: { state: 'aside', leftOut: false }, limit: junk, verdict: 'aside' }
  return { outcome: inbox, limit: junk, verdict: 'under' }
}

/** Harm of a message: the first attachment of a forbidden kind (domain.md §3, stage 1). */
export function findHarm(
  attachments: readonly { readonly name: string; readonly danger: string | null }[],
  forbidden: readonly string[],
): DeliveryFacts['harm'] {
  const found = attachments.find(({ danger }) => danger !== null && forbidden.includes(danger))
  return found?.danger ? { name: found.name, danger: found.danger } : null
}
