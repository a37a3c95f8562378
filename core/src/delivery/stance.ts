import { hasArrived, type DeliveryState } from './states.ts'
import { personalActs } from './transitions.ts'
import type { PathLine } from '../judgement/index.ts'

/** Where the evidence about a delivery points: it is likely wanted, it is in doubt, or it speaks against letting it in. */
export const directions = ['wanted', 'doubt', 'against'] as const
/** One of {@link directions}. */
export type Direction = (typeof directions)[number]

/** What makes it point there; a key of the wording. */
export type DirectionReason =
  | 'likely'
  | 'unsure'
  | 'unreadable'
  | 'listed'
  | 'near-certain'
  | 'own-domain'
  | 'lookalike'
  | 'harm'

/** A direction and why. */
export interface Pointing {
  readonly direction: Direction
  readonly why: DirectionReason
}

/** What pointing looks at: all of it is kept with the delivery, so that it points the same way whenever it is asked. */
export interface PointingFacts {
  /** 0 to 100. */
  readonly score: number
  /** Names of the findings. */
  readonly findings: ReadonlySet<string>
  readonly path: readonly Pick<PathLine, 'stage' | 'outcome'>[]
  /** Of the path's last line. */
  readonly verdict: (PathLine & { stage: 'score' })['verdict']
}

/** Below, a message is more likely wanted than junk: the score is a probability in percent. */
const evenOdds = 50

const leadsAway = ['link-elsewhere', 'link-differs', 'reply-to-elsewhere'] as const
const listStages: ReadonlySet<string> = new Set(['binding', 'personal', 'organisation'])

/**
 * Where the evidence points (domain.md §5): the one place that says so, for the sentence a ruling starts with, for the
 * warning before a release, and for the server that asks for a reason.
 */
export function pointing({ score, findings, path, verdict }: PointingFacts): Pointing {
  const decided = path.find(({ outcome }) => outcome === 'decided')?.stage
  if (decided === 'harm') return { direction: 'against', why: 'harm' }
  if (findings.has('own-domain-fail')) return { direction: 'against', why: 'own-domain' }
  const isLookalike =
    findings.has('link-lookalike') ||
    findings.has('lookalike-own') ||
    (findings.has('lookalike-known') && leadsAway.some(finding => findings.has(finding)))
  if (isLookalike) return { direction: 'against', why: 'lookalike' }
  if (verdict === 'near-certain') return { direction: 'against', why: 'near-certain' }
  if (verdict === 'unreadable') return { direction: 'doubt', why: 'unreadable' }
  // Somebody has said that this sender's mail is not to come: that is not for the score to overrule.
  if (decided !== undefined && listStages.has(decided)) return { direction: 'doubt', why: 'listed' }
  return score < evenOdds ? { direction: 'wanted', why: 'likely' } : { direction: 'doubt', why: 'unsure' }
}

/** What a person can do with the message. */
export type MessageAct = 'release' | 'leave' | 'discard' | 'restore'

/** What the sentence says of the message before anybody has touched it. Only what is likely wanted is one key from the inbox. */
export function startingAct(state: DeliveryState, direction: Direction): MessageAct {
  // What the colleague has already can be had in the inbox, too; nobody starts there.
  if (hasArrived(state) || direction !== 'wanted') return 'leave'
  return personalActs(state).includes('release') ? 'release' : 'leave'
}

/** Whether an act lets in what the evidence speaks against: it is said in words, and asks for a reason. */
export const isAgainstEvidence = (act: MessageAct, direction: Direction): boolean =>
  act === 'release' && direction === 'against'

/** What has happened on the screen since the last act was applied. Milliseconds. */
export interface Since {
  /** The sentence was changed by hand. */
  readonly touched: boolean
  /** A key other than the one that applies was pressed. */
  readonly otherKey: boolean
  /** How long the message has been on screen. */
  readonly shownFor: number
}

/** So long a message has to be seen before a key can apply what nobody has touched. */
const seenAfter = 1000

/**
 * Whether the key that applies may apply: the second press of a double one meets a message that nobody has seen. `null`:
 * nothing has been applied yet.
 */
export const mayApplyByKey = (since: Since | null): boolean =>
  since === null || since.touched || (since.otherKey && since.shownFor >= seenAfter)
