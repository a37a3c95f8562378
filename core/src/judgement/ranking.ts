import type { Evidence, Finding } from './evidence/index.ts'
import type { Decision } from './decide.ts'
import type { Limits } from './organisation.ts'

/**
 * What else speaks for or against a kept-back message being asked for, beside its score; log-odds, positive
 * towards junk. Set by hand: the order is measured in docs/judgement.md.
 */
const known: Readonly<Partial<Record<Finding, number>>> = {
  // These weigh on the score too; for somebody who waits for an answer they weigh more.
  'answers-colleague': -2,
  'correspondence-mailbox': -1.5,
  'correspondence-address': -1,
  'correspondence-domain': -0.8,
  'sender-ruled-wanted': -0.7,
  'in-contacts': -0.5,
  'known-list': -0.5,
  // A forgery is not asked for, however familiar it sounds.
  'own-domain-fail': 0.5,
  'lookalike-own': 2,
  'lookalike-known': 2,
  'link-lookalike': 2,
}

const blocked = { binding: 5, organisation: 5, personal: 2.5 } as const

interface Kept {
  readonly evidence: readonly Evidence[]
  readonly decision: Pick<Decision, 'decidedBy'>
  readonly limits: Limits
}

/**
 * The place of a kept-back message in "likeliest to be wanted first": the lower the likelier. The score's
 * log-odds against the mailbox's own limit, with what is known of the sender and who had decided.
 */
export function reviewRank({ evidence, decision: { decidedBy }, limits }: Kept): number {
  const sum = evidence.reduce((total, { weight, finding }) => total + weight + (known[finding] ?? 0), 0)
  const limit = Math.log(limits.quarantined / (100 - Math.min(99.9, limits.quarantined)))
  const byList =
    decidedBy === 'binding' || decidedBy === 'organisation' || decidedBy === 'personal'
      ? blocked[decidedBy]
      : 0
  return Math.round((sum - limit + byList) * 100) / 100
}

/** Mass mail to many of us, unless somebody has ruled otherwise, is rarely what one of us waits for. */
export function crowdShift(sameText: number): number {
  return Math.round(Math.log2(Math.max(1, sameText)) * 35) / 100
}

/** How far a ruling on one message moves those with the same text. */
export const clusterShift = { wanted: -4, junk: 4, phishing: 4 } as const
