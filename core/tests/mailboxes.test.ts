import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { decide, type Limits } from '@pendro/core/judgement'
import { areLimits, readyLimits } from '@pendro/core/limits'
import { policyReach, type SeenOne } from '@pendro/core/mailboxes'
import { noAuthentication, type SenderEntry } from '@pendro/core/senders'

const usual: Limits = readyLimits.usual
const context = { policy: { ownDomains: ['harbour.example'] }, now: 0 }

const one = (deliveryId: number, score: number, more: Partial<SeenOne> = {}): SeenOne => ({
  deliveryId,
  count: 1,
  calledByPerson: null,
  mailbox: { mailboxId: 1, limits: usual, usesSetAside: false, filtering: true },
  facts: {
    sender: {
      from: [{ local: 'a', tag: null, domain: 'x.example' }],
      envelopeFrom: null,
      sender: null,
      listId: null,
      authentication: noAuthentication,
    },
    harm: null,
    score,
    bulk: false,
    unreadable: false,
    rules: [],
  },
  ...more,
})
const harmful = (seen: SeenOne): SeenOne => ({
  ...seen,
  facts: { ...seen.facts, harm: { name: 'x.exe', danger: 'executable' } },
})
const withLimits = (limits: Limits) => (before: SeenOne['mailbox']) => ({ ...before, limits })

describe('what another policy would have come to', () => {
  const mail = [one(1, 10), one(2, 35), one(3, 50), one(4, 70), one(5, 95), harmful(one(6, 10))]

  test('the same policy changes nothing', () => {
    expect(policyReach(mail, before => before, [], context)).toEqual({
      looked: 6,
      keptBack: { wanted: 0, doubtful: 0, harmful: 0 },
      letThrough: { wanted: 0, doubtful: 0, harmful: 0 },
      elsewhere: 0,
      examples: [],
    })
  })

  test('higher limits let through what lies between, and never what does harm', () => {
    const reach = policyReach(mail, withLimits({ junk: 60, quarantined: 75, nearCertain: 92 }), [], context)
    expect(reach.letThrough).toEqual({ wanted: 0, doubtful: 1, harmful: 0 })
    expect(reach.keptBack).toEqual({ wanted: 0, doubtful: 0, harmful: 0 })
    // 70 goes to the junk folder instead of quarantine.
    expect(reach.elsewhere).toBe(1)
    expect(reach.examples.map(({ id }) => id)).toEqual([3, 4])
  })

  test('lower limits hold more; wanted mail that would be held comes first among the examples', () => {
    const called = { ...one(7, 30), calledByPerson: 'wanted' as const }
    const junk = { ...one(8, 30), calledByPerson: 'junk' as const }
    const reach = policyReach([junk, called], withLimits(readyLimits.careful), [], context)
    expect(reach.keptBack).toEqual({ wanted: 1, doubtful: 0, harmful: 1 })
    expect(reach.examples.map(({ id }) => id)).toEqual([7, 8])
  })

  test('with filtering off all arrives but what does harm and what a list blocks', () => {
    const blocked: SenderEntry = {
      id: 1,
      pattern: { kind: 'domain', domain: 'x.example' },
      standing: 'blocked',
      owner: { kind: 'organisation' },
      binding: true,
      withoutAuthentication: false,
      until: null,
      reason: '',
    } as unknown as SenderEntry
    const off = (before: SeenOne['mailbox']) => ({ ...before, filtering: false })
    expect(policyReach(mail, off, [], context).letThrough).toEqual({ wanted: 0, doubtful: 2, harmful: 1 })
    expect(policyReach(mail, off, [blocked], context).letThrough).toEqual({
      wanted: 0,
      doubtful: 0,
      harmful: 0,
    })
  })

  const limits = fc
    .tuple(
      fc.integer({ min: 1, max: 100 }),
      fc.integer({ min: 1, max: 100 }),
      fc.integer({ min: 1, max: 100 }),
    )
    .map(three => [...three].sort((a, b) => a - b))
    .map(([junk = 1, quarantined = 1, nearCertain = 1]): Limits => ({ junk, quarantined, nearCertain }))

  test('what is passed over is what the judge would have said the same of', () => {
    const policy = fc.record({
      mailboxId: fc.constant(1),
      limits,
      usesSetAside: fc.boolean(),
      filtering: fc.boolean(),
    })
    const marks = fc.record({
      score: fc.integer({ min: 0, max: 1000 }).map(n => n / 10),
      bulk: fc.boolean(),
      unreadable: fc.boolean(),
    })
    fc.assert(
      fc.property(fc.array(marks, { maxLength: 20 }), policy, policy, (mail, before, after) => {
        const seen = mail.map((facts, i) => {
          const plain = one(i + 1, facts.score)
          return { ...plain, mailbox: before, facts: { ...plain.facts, ...facts } }
        })
        const slow = seen.filter(({ facts }) => {
          const nobody = { organisation: [], mailbox: [] }
          const [was, would] = [before, after].map(its => decide(facts, its, nobody, context))
          return was?.state !== would?.state || was?.leftOut !== would?.leftOut
        })
        const found = policyReach(seen, () => after, [], context).examples.map(({ id }) => id)
        expect([...found].sort((a, b) => a - b)).toEqual(slow.map(({ deliveryId }) => deliveryId))
      }),
    )
  })

  test('agrees with the score alone where nothing else has a say; there and back is nothing', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 0, max: 100 }), { maxLength: 40 }),
        limits,
        limits,
        (scores, a, b) => {
          const seen = scores.map((score, i) => ({
            ...one(i + 1, score),
            mailbox: { mailboxId: 1, limits: a, usesSetAside: false, filtering: true },
          }))
          const reach = policyReach(seen, withLimits(b), [], context)
          const total = (split: Readonly<Record<string, number>>) =>
            Object.values(split).reduce((x, y) => x + y, 0)
          expect(total(reach.keptBack)).toBe(scores.filter(score => score < a.junk && score >= b.junk).length)
          expect(total(reach.letThrough)).toBe(
            scores.filter(score => score >= a.junk && score < b.junk).length,
          )
          const back = policyReach(
            seen.map(delivery => ({ ...delivery, mailbox: { ...delivery.mailbox, limits: b } })),
            withLimits(a),
            [],
            context,
          )
          expect([total(back.keptBack), total(back.letThrough), back.elsewhere]).toEqual([
            total(reach.letThrough),
            total(reach.keptBack),
            reach.elsewhere,
          ])
          expect(areLimits(a)).toBe(true)
        },
      ),
    )
  })
})
