import {
  consultList,
  type ListVerdict,
  type RefusedEntry,
  type Register,
  type SenderEntry,
  type SenderFacts,
} from '../senders/index.ts'
import type { MailboxPolicy, OrganisationPolicy } from './organisation.ts'

/** Where a delivery goes when it has been judged; see vocabulary.md, "States of a delivery". */
export type JudgedState = 'inbox' | 'aside' | 'junk' | 'quarantined' | 'sealed'

/** Everything deciding needs of a delivery: kept with it, so that it can be decided again at any time. */
export interface DeliveryFacts {
  readonly sender: SenderFacts
  /** Name and kind of what makes the message harmful; `null` when nothing does. */
  readonly harm: { readonly name: string; readonly danger: string } | null
  readonly score: number
  readonly bulk: boolean
  /** The message could not be read; it is quarantined unless a list decides. */
  readonly unreadable: boolean
}

export type ListStage = 'binding' | 'personal' | 'organisation'

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
  | { readonly stage: 'switched-off'; readonly outcome: 'decided' | 'silent' | 'late' }
  | {
      readonly stage: 'score'
      readonly outcome: 'decided' | 'late'
      readonly score: number
      readonly limit: number
      readonly verdict: 'under' | 'aside' | 'junk' | 'quarantined' | 'near-certain' | 'unreadable'
    }

/** The ordered checks a delivery went through, and where it goes. */
export interface Decision {
  readonly state: JudgedState
  readonly decidedBy: PathLine['stage']
  readonly path: readonly PathLine[]
  /** Kept back, but not named in digests. */
  readonly leftOut: boolean
}

interface Outcome {
  readonly state: JudgedState
  readonly leftOut: boolean
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
  const path: PathLine[] = []
  let outcome: Outcome | null = null
  let decidedBy: PathLine['stage'] = 'score'
  const settle = (stage: PathLine['stage'], found: Outcome | null) => {
    if (outcome !== null || found === null) return
    outcome = found
    decidedBy = stage
  }

  if (facts.harm) {
    path.push({ stage: 'harm', outcome: 'decided', ...facts.harm })
    settle('harm', { state: 'sealed', leftOut: true })
  } else path.push({ stage: 'harm', outcome: 'clear' })

  for (const stage of ['binding', 'personal', 'organisation'] as const) {
    const verdict = consultList(entriesOf(stage, register), facts.sender, {
      // Common practice: in one person's list safe cancels blocked; the organisation plays it safe.
      tie: stage === 'personal' ? 'safe' : 'blocked',
      ownDomains: policy.ownDomains,
      now,
    })
    path.push(listLine(stage, verdict, outcome !== null))
    settle(stage, listOutcome(stage, verdict))
  }

  path.push({
    stage: 'switched-off',
    outcome: outcome !== null ? 'late' : mailbox.filtering ? 'silent' : 'decided',
  })
  settle('switched-off', mailbox.filtering ? null : { state: 'inbox', leftOut: false })

  const scored = byScore(facts, mailbox)
  path.push({ stage: 'score', outcome: outcome !== null ? 'late' : 'decided', ...scored.line })
  settle('score', scored.outcome)

  return { ...(outcome ?? scored.outcome), decidedBy, path }
}

function entriesOf(stage: ListStage, { organisation, mailbox }: Register): readonly SenderEntry[] {
  if (stage === 'personal') return mailbox
  return organisation.filter(({ binding }) => binding === (stage === 'binding'))
}

function listLine(stage: ListStage, { decided, overruled, refused }: ListVerdict, late: boolean): PathLine {
  const outcome = late ? 'late' : decided ? 'decided' : 'silent'
  // Behind a stage that had already decided even the best match of this list was overruled.
  if (late && decided) return { stage, outcome, decided: null, overruled: [decided, ...overruled], refused }
  return { stage, outcome, decided, overruled, refused }
}

function listOutcome(stage: ListStage, { decided }: ListVerdict): Outcome | null {
  if (decided === null) return null
  if (decided.standing === 'safe') return { state: 'inbox', leftOut: false }
  return stage === 'personal' ? { state: 'junk', leftOut: false } : { state: 'quarantined', leftOut: true }
}

function byScore(
  { score, bulk, unreadable }: DeliveryFacts,
  { limits, usesSetAside }: MailboxPolicy,
): {
  outcome: Outcome
  line: { score: number; limit: number; verdict: (PathLine & { stage: 'score' })['verdict'] }
} {
  const { junk, quarantined, nearCertain } = limits
  if (unreadable) {
    return {
      outcome: { state: 'quarantined', leftOut: false },
      line: { score, limit: quarantined, verdict: 'unreadable' },
    }
  }
  if (score >= nearCertain) {
    return {
      outcome: { state: 'quarantined', leftOut: true },
      line: { score, limit: nearCertain, verdict: 'near-certain' },
    }
  }
  if (score >= quarantined) {
    return {
      outcome: { state: 'quarantined', leftOut: false },
      line: { score, limit: quarantined, verdict: 'quarantined' },
    }
  }
  if (score >= junk)
    return { outcome: { state: 'junk', leftOut: false }, line: { score, limit: junk, verdict: 'junk' } }
  if (bulk && usesSetAside) {
    return { outcome: { state: 'aside', leftOut: false }, line: { score, limit: junk, verdict: 'aside' } }
  }
  return { outcome: { state: 'inbox', leftOut: false }, line: { score, limit: junk, verdict: 'under' } }
}

/** Harm of a message: the first attachment of a forbidden kind (domain.md §3, stage 1). */
export function findHarm(
  attachments: readonly { readonly name: string; readonly danger: string | null }[],
  forbidden: readonly string[],
): DeliveryFacts['harm'] {
  const found = attachments.find(({ danger }) => danger !== null && forbidden.includes(danger))
  return found?.danger ? { name: found.name, danger: found.danger } : null
}
