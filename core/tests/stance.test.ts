import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { decide, type MailboxPolicy } from '@pendro/core/judgement'
import {
  deliveryStates,
  directions,
  isAgainstEvidence,
  isKeptBack,
  mayApplyByKey,
  pointing,
  startingAct,
  type DirectionReason,
  type PointingFacts,
} from '@pendro/core/delivery'
import { noAuthentication, type SenderEntry } from '@pendro/core/senders'

const facts = ({
  findings = [],
  ...more
}: { findings?: string[] } & Partial<Omit<PointingFacts, 'findings'>>) => ({
  score: 45,
  verdict: 'quarantined' as const,
  path: [{ stage: 'score' as const, outcome: 'decided' as const }],
  ...more,
  findings: new Set(findings),
})

const decidedBy = (stage: PointingFacts['path'][number]['stage']) => [
  { stage, outcome: 'decided' as const },
  { stage: 'score' as const, outcome: 'late' as const },
]

describe('where the evidence points (domain.md §5)', () => {
  test.each<[what: string, given: Parameters<typeof facts>[0], direction: string, why: DirectionReason]>([
    ['just over its limit', { score: 41 }, 'wanted', 'likely'],
    ['as likely junk as wanted, nearly', { score: 49.9 }, 'wanted', 'likely'],
    ['as likely junk as wanted', { score: 50 }, 'doubt', 'unsure'],
    ['high, and not near-certain', { score: 79.9 }, 'doubt', 'unsure'],
    ['near-certain junk', { score: 80, verdict: 'near-certain' }, 'against', 'near-certain'],
    [
      'near-certain by a mailbox that says so early',
      { score: 48, verdict: 'near-certain' },
      'against',
      'near-certain',
    ],
    ['could not be read', { score: 40, verdict: 'unreadable' }, 'doubt', 'unreadable'],
    ['claims to be from us', { score: 41, findings: ['own-domain-fail'] }, 'against', 'own-domain'],
    ['is made to look like us', { score: 41, findings: ['lookalike-own'] }, 'against', 'lookalike'],
    ['links to a lookalike', { score: 41, findings: ['link-lookalike'] }, 'against', 'lookalike'],
    [
      'a lookalike of somebody known that leads nowhere',
      { score: 41, findings: ['lookalike-known'] },
      'wanted',
      'likely',
    ],
    [
      'a lookalike that leads elsewhere',
      { score: 41, findings: ['lookalike-known', 'link-elsewhere'] },
      'against',
      'lookalike',
    ],
    [
      'a lookalike whose link shows another',
      { score: 41, findings: ['lookalike-known', 'link-differs'] },
      'against',
      'lookalike',
    ],
    [
      'a lookalike that wants its replies elsewhere',
      { score: 41, findings: ['lookalike-known', 'reply-to-elsewhere'] },
      'against',
      'lookalike',
    ],
    [
      'leads elsewhere and looks like nobody',
      { score: 41, findings: ['link-elsewhere'] },
      'wanted',
      'likely',
    ],
    ['blocked by the colleague', { score: 12, path: decidedBy('personal') }, 'doubt', 'listed'],
    ['blocked by the organisation', { score: 12, path: decidedBy('organisation') }, 'doubt', 'listed'],
    ['blocked by all means', { score: 12, path: decidedBy('binding') }, 'doubt', 'listed'],
    [
      'blocked, and near-certain junk',
      { score: 99, verdict: 'near-certain', path: decidedBy('personal') },
      'against',
      'near-certain',
    ],
    ['sorted by a mail rule', { score: 12, path: decidedBy('rules') }, 'wanted', 'likely'],
    ['harmful', { score: 1, path: decidedBy('harm') }, 'against', 'harm'],
  ])('%s', (_what, given, direction, why) => {
    expect(pointing(facts(given))).toEqual({ direction, why })
  })

  test('more junk never points more to wanted', () => {
    const rank = (score: number, findings: string[], verdict: PointingFacts['verdict']) =>
      directions.indexOf(pointing(facts({ score, findings, verdict })).direction)
    fc.assert(
      fc.property(
        fc.double({ min: 0, max: 100, noNaN: true }),
        fc.double({ min: 0, max: 100, noNaN: true }),
        fc.subarray(['link-elsewhere', 'lookalike-known', 'own-domain-fail', 'bulk']),
        (a, b, findings) => {
          const verdict = (score: number) => (score >= 80 ? 'near-certain' : 'quarantined')
          const [low, high] = [Math.min(a, b), Math.max(a, b)]
          expect(rank(low, findings, verdict(low))).toBeLessThanOrEqual(rank(high, findings, verdict(high)))
          expect(rank(low, [], verdict(low))).toBeLessThanOrEqual(rank(low, findings, verdict(low)))
        },
      ),
    )
  })
})

describe('what a sentence starts with', () => {
  test('is one key from the inbox only when the message is kept back and likely wanted', () => {
    for (const state of deliveryStates)
      for (const direction of directions) {
        const act = startingAct(state, direction)
        expect([state, direction, act === 'release']).toEqual([
          state,
          direction,
          direction === 'wanted' && (state === 'quarantined' || state === 'junk' || state === 'bounced'),
        ])
        if (act !== 'release') expect(act).toBe('leave')
        // What it starts with never needs a reason, nor does anything go by itself.
        expect(isAgainstEvidence(act, direction)).toBe(false)
      }
    expect(deliveryStates.filter(isKeptBack)).toEqual(['junk', 'quarantined', 'sealed'])
  })

  test('only letting in is against the evidence', () => {
    expect(isAgainstEvidence('release', 'against')).toBe(true)
    for (const act of ['leave', 'discard', 'restore'] as const)
      expect(isAgainstEvidence(act, 'against')).toBe(false)
    for (const direction of ['wanted', 'doubt'] as const)
      expect(isAgainstEvidence('release', direction)).toBe(false)
  })
})

describe('the key that applies', () => {
  test.each<[what: string, since: Parameters<typeof mayApplyByKey>[0], may: boolean]>([
    ['before anything was applied', null, true],
    ['pressed twice', { touched: false, otherKey: false, shownFor: 250 }, false],
    [
      'pressed again after long reading, nothing else pressed',
      { touched: false, otherKey: false, shownFor: 60_000 },
      false,
    ],
    ['after another key, at once', { touched: false, otherKey: true, shownFor: 999 }, false],
    ['after another key and a second', { touched: false, otherKey: true, shownFor: 1000 }, true],
    ['after the sentence was touched', { touched: true, otherKey: false, shownFor: 10 }, true],
  ])('%s', (_what, since, may) => {
    expect(mayApplyByKey(since)).toBe(may)
  })
})

describe('a personal block never weakens (domain.md §3)', () => {
  const entry = (standing: 'safe' | 'blocked'): SenderEntry => ({
    id: 1,
    pattern: { kind: 'domain', domain: 'x.example' },
    standing,
    owner: { kind: 'mailbox', mailboxId: 1 },
    binding: false,
    withoutAuthentication: true,
    until: null,
  })
  const from = { local: 'a', tag: null, domain: 'x.example' }
  const sender = {
    from: [from],
    envelopeFrom: from,
    sender: null,
    listId: null,
    authentication: noAuthentication,
  }
  const mailbox = (limits: MailboxPolicy['limits']): MailboxPolicy => ({
    mailboxId: 1,
    limits,
    usesSetAside: false,
    filtering: true,
  })
  const usual = { junk: 30, quarantined: 60, nearCertain: 80 }
  const placeOf = (
    score: number,
    standing: 'safe' | 'blocked' | null,
    unreadable = false,
    filtering = true,
  ) => {
    const {
      state,
      leftOut,
      decidedBy: by,
    } = decide(
      { sender, harm: null, score, bulk: false, unreadable, rules: [] },
      { ...mailbox(usual), filtering },
      { organisation: [], mailbox: standing ? [entry(standing)] : [] },
      { policy: { ownDomains: [] }, now: 0 },
    )
    return `${state}${leftOut ? ', left out' : ''} by ${by}`
  }
  test.each<[score: number, blocked: string, without: string]>([
    [5, 'junk by personal', 'inbox by score'],
    [30, 'junk by personal', 'junk by score'],
    [59.9, 'junk by personal', 'junk by score'],
    [60, 'quarantined by personal', 'quarantined by score'],
    [80, 'quarantined, left out by personal', 'quarantined, left out by score'],
    [100, 'quarantined, left out by personal', 'quarantined, left out by score'],
  ])('at a score of %d', (score, blocked, without) => {
    expect(placeOf(score, 'blocked')).toBe(blocked)
    expect(placeOf(score, null)).toBe(without)
    expect(placeOf(score, 'safe')).toBe('inbox by personal')
  })
  test('what could not be read stays quarantined', () => {
    expect(placeOf(5, 'blocked', true)).toBe('quarantined by personal')
  })
  test('where filtering is switched off, nobody asks the score', () => {
    expect(placeOf(100, 'blocked', false, false)).toBe('junk by personal')
  })
})
