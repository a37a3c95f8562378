import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { parseAddress as parsed, parseMailboxes } from '../src/address/index.ts'
import { decide, type MailboxPolicy } from '../src/judgement/index.ts'
import { matchingRules, type MailRule, type RuleAction, type RuleCondition } from '../src/mail-rules/index.ts'
import { foldReach, planFold, type SeenByRules } from '../src/mailboxes/index.ts'
import { ruleView } from '../src/message/index.ts'
import { arrives } from '../src/rulings/index.ts'
import {
  displayPattern,
  indexRegister,
  noAuthentication,
  parsePattern,
  type SenderEntry,
  type SenderFacts,
} from '../src/senders/index.ts'

const mailboxId = 7
const now = 1_000_000
const context = { policy: { ownDomains: ['harbour.example'] }, now }

const does = (more: Partial<RuleAction>): RuleAction => ({
  hold: null,
  place: null,
  important: false,
  stop: false,
  ...more,
})
const from = (test: 'is' | 'matches' | 'contains', ...values: string[]): RuleCondition => ({
  field: 'from',
  test,
  values,
})
let next = 0
const rule = (
  conditions: readonly RuleCondition[],
  action: RuleAction = does({ hold: 'junk' }),
  more: Partial<MailRule> = {},
): MailRule => ({
  id: (next += 1),
  name: `rule ${next}`,
  owner: 'mailbox',
  needs: 'all',
  conditions,
  action,
  ...more,
})
const entry = (text: string, standing: 'safe' | 'blocked', more: Partial<SenderEntry> = {}): SenderEntry => {
  const pattern = parsePattern(text)
  if (!pattern.ok) throw new Error(text)
  return {
    id: (next += 1),
    pattern: pattern.value,
    standing,
    owner: { kind: 'mailbox', mailboxId },
    binding: false,
    withoutAuthentication: false,
    until: null,
    ...more,
  }
}
const plan = (rules: readonly MailRule[], entries: readonly SenderEntry[] = []) =>
  planFold({ mailboxId, rules, entries, now })
const told = (rules: readonly MailRule[], entries: readonly SenderEntry[] = []) => {
  const { folds, stays, entries: made } = plan(rules, entries)
  return {
    gone: folds.map(({ rule: { id } }) => rules.findIndex(one => one.id === id)),
    stays: stays.map(({ why }) => why),
    entries: made.map(({ pattern }) => displayPattern(pattern)),
  }
}

describe('which rules become entries', () => {
  test.each<readonly [string, readonly MailRule[], readonly SenderEntry[], ReturnType<typeof told>]>([
    [
      'an address, and all of a domain',
      [rule([from('is', 'A@x.example')]), rule([from('matches', '*@y.example')])],
      [],
      { gone: [0, 1], stays: [], entries: ['a@x.example', 'y.example'] },
    ],
    [
      'several values, and several conditions of which one is enough',
      [
        rule([from('is', 'a@x.example', 'b@x.example')]),
        rule([from('is', 'c@x.example'), from('is', 'd@x.example')], does({ hold: 'junk' }), {
          needs: 'any',
        }),
      ],
      [],
      { gone: [0, 1], stays: [], entries: ['a@x.example', 'b@x.example', 'c@x.example', 'd@x.example'] },
    ],
    [
      'twice the same is one entry',
      [rule([from('is', 'a@x.example')]), rule([from('is', 'A@X.example')], does({ hold: 'discarded' }))],
      [],
      { gone: [0, 1], stays: [], entries: ['a@x.example'] },
    ],
    [
      'what a wider one covers needs none',
      [
        rule([from('is', 'a@x.example')]),
        rule([from('matches', '*@x.example')]),
        rule([from('is', 'b@z.example')]),
      ],
      [entry('*.z.example', 'blocked')],
      { gone: [0, 1, 2], stays: [], entries: ['x.example'] },
    ],
    [
      'an entry that ends covers nothing',
      [rule([from('is', 'a@x.example')])],
      [entry('x.example', 'blocked', { until: now + 1 })],
      { gone: [0], stays: [], entries: ['a@x.example'] },
    ],
    [
      'it files, marks, or lets in',
      [
        rule([from('is', 'a@x.example')], does({ place: { kind: 'folder', folder: 'A' } })),
        rule([from('is', 'b@x.example')], does({ hold: 'junk', important: true })),
        rule([from('is', 'c@x.example')], does({ hold: 'let-in' })),
      ],
      [],
      { gone: [], stays: ['does-more', 'does-more', 'does-more'], entries: [] },
    ],
    [
      'it asks for more, for a part, or for a name',
      [
        rule([from('is', 'a@x.example'), { field: 'subject', test: 'contains', values: ['sale'] }]),
        rule([from('contains', '@x.example')]),
        rule([from('is', 'Bargain Fleet')]),
        rule([from('matches', 'news-*@x.example')]),
        rule([from('is', 'a@x.example', 'not one')]),
        rule([from('matches', '*@*.x.example')]),
      ],
      [],
      { gone: [], stays: Array(6).fill('asks-more') as string[], entries: [] } as ReturnType<typeof told>,
    ],
    [
      'a rule above could let it in',
      [
        rule([{ field: 'subject', test: 'contains', values: ['order'] }], does({ hold: 'let-in' })),
        rule([from('is', 'a@x.example')]),
      ],
      [],
      { gone: [], stays: ['does-more', 'rule-above'], entries: [] },
    ],
    [
      'a rule above that is about others can’t',
      [rule([from('is', 'c@y.example')], does({ hold: 'let-in' })), rule([from('is', 'a@x.example')])],
      [],
      { gone: [1], stays: ['does-more'], entries: ['a@x.example'] },
    ],
    [
      'a safe entry decides today: of the mailbox, of the organisation, narrower or wider',
      [
        rule([from('is', 'a@x.example')]),
        rule([from('matches', '*@y.example')]),
        rule([from('is', 'a@z.example')]),
      ],
      [
        entry('x.example', 'safe'),
        entry('ann@y.example', 'safe'),
        entry('*.z.example', 'safe', { owner: { kind: 'organisation' } }),
      ],
      { gone: [], stays: ['safe-entry', 'safe-entry', 'safe-entry'], entries: [] },
    ],
    [
      'a safe entry that is over decides nothing',
      [rule([from('is', 'a@x.example')])],
      [entry('x.example', 'safe', { until: now })],
      { gone: [0], stays: [], entries: ['a@x.example'] },
    ],
  ])('%s', (_name, rules, entries, want) => expect(told(rules, entries)).toEqual(want))
})

const domains = ['x.example', 'mail.x.example', 'y.example', 'z.example']
const locals = ['a', 'b', 'c']
const address = fc
  .tuple(fc.constantFrom(...locals), fc.constantFrom(...domains))
  .map(parts => parts.join('@'))
const mailbox: MailboxPolicy = {
  mailboxId,
  limits: { junk: 40, quarantined: 60, nearCertain: 80 },
  usesSetAside: false,
  filtering: true,
}

/** A message of one sender, as rules and as lists see it. */
function seenFrom(text: string, score: number, proven: boolean, rules: readonly MailRule[]): SeenByRules {
  const sender = parseMailboxes(text)
  const view = ruleView(
    { from: sender, to: [], cc: [], subject: 'x', listId: null, text: '', attachments: [] },
    100,
  )
  const one = parsed(text)
  if (!one.ok) throw new Error(text)
  const facts: SenderFacts = {
    from: [one.value],
    envelopeFrom: null,
    sender: null,
    listId: null,
    authentication: {
      ...noAuthentication,
      dmarc: { result: proven ? 'pass' : 'none', domain: one.value.domain },
    },
  }
  const said = matchingRules(rules, view)
  return {
    deliveryId: 1,
    facts: { sender: facts, harm: null, score, bulk: false, unreadable: false, rules: [] },
    mailbox,
    count: 1,
    calledByPerson: null,
    before: said,
    after: said,
  }
}

describe('folded, the same mail arrives', () => {
  const condition = fc.oneof(
    {
      weight: 4,
      arbitrary: fc.array(address, { minLength: 1, maxLength: 2 }).map(values => from('is', ...values)),
    },
    { weight: 2, arbitrary: fc.constantFrom(...domains).map(domain => from('matches', `*@${domain}`)) },
    { weight: 1, arbitrary: fc.constantFrom(...domains).map(domain => from('contains', domain)) },
  )
  const action = fc.oneof(
    {
      weight: 6,
      arbitrary: fc.constantFrom(
        does({ hold: 'junk' }),
        does({ hold: 'discarded' }),
        does({ hold: 'junk', stop: true }),
      ),
    },
    {
      weight: 1,
      arbitrary: fc.constantFrom(does({ hold: 'let-in' }), does({ place: { kind: 'inbox' }, stop: true })),
    },
  )
  const someRules = fc.array(
    fc.tuple(
      fc.array(condition, { minLength: 1, maxLength: 2 }),
      action,
      fc.constantFrom('all' as const, 'any' as const),
    ),
    { minLength: 1, maxLength: 8 },
  )
  const someEntries = fc.array(
    fc.tuple(
      fc.oneof(
        address,
        fc.constantFrom(...domains),
        fc.constantFrom(...domains).map(one => `*.${one}`),
      ),
      fc.constantFrom('safe' as const, 'blocked' as const),
      fc.constantFrom('own', 'organisation', 'binding'),
    ),
    { maxLength: 3 },
  )

  test('for any rules, lists and senders (property)', () => {
    let [folded, held] = [0, 0]
    fc.assert(
      fc.property(
        someRules,
        someEntries,
        fc.array(fc.tuple(address, fc.constantFrom(10, 50, 70), fc.boolean()), {
          minLength: 1,
          maxLength: 6,
        }),
        (given, lists, senders) => {
          const rules = given.map(([conditions, does, needs]) => rule(conditions, does, { needs }))
          const entries = lists.map(([text, standing, whose]) =>
            entry(
              text,
              standing,
              whose === 'own' ? {} : { owner: { kind: 'organisation' }, binding: whose === 'binding' },
            ),
          )
          const folding = plan(rules, entries)
          folded += folding.folds.length
          const gone = new Set(folding.folds.map(({ rule: one }) => one.id))
          const after = indexRegister([
            ...entries,
            ...folding.entries.map((one, i) => ({ ...one, id: -1 - i })),
          ])
          const before = indexRegister(entries)
          for (const [text, score, proven] of senders) {
            const seen = seenFrom(text, score, proven, rules)
            const { sender } = seen.facts
            const was = decide(
              { ...seen.facts, rules: seen.before },
              mailbox,
              before.lookUp(sender, mailboxId),
              context,
            )
            const rest = seen.before.filter(({ id }) => !gone.has(id))
            const is = decide(
              { ...seen.facts, rules: rest },
              mailbox,
              after.lookUp(sender, mailboxId),
              context,
            )
            expect(arrives(is)).toBe(arrives(was))
            if (!arrives(was) && score === 10) held += 1
          }
          const reach = foldReach(
            senders.map(([text, score, proven]) => seenFrom(text, score, proven, rules)),
            folding,
            entries,
            context,
          )
          expect(reach.different.size).toBe(0)
        },
      ),
      { numRuns: 3000 },
    )
    // Agreement about nothing would prove nothing.
    expect(folded).toBeGreaterThan(1000)
    expect(held).toBeGreaterThan(300)
  })

  test('what a replay shows to differ is named by its rule', () => {
    // An entry also meets the envelope: mail of somebody else that was sent through there.
    const rules = [rule([from('is', 'a@x.example')]), rule([from('is', 'b@y.example')])]
    const bounced = parsed('a@x.example')
    const seen = seenFrom('friend@z.example', 10, true, rules)
    const through: SeenByRules = {
      ...seen,
      facts: {
        ...seen.facts,
        sender: { ...seen.facts.sender, envelopeFrom: bounced.ok ? bounced.value : null },
      },
    }
    const reach = foldReach([through], plan(rules), [], context)
    expect([...reach.different]).toEqual([rules[0]?.id])
    const again = planFold({ mailboxId, rules, entries: [], now, different: reach.different })
    expect(again.stays.map(({ why }) => why)).toEqual(['replay'])
    expect(foldReach([through], again, [], context).different.size).toBe(0)
  })

  test('discarded mail is in the junk folder then, and counted', () => {
    const rules = [rule([from('is', 'a@x.example')], does({ hold: 'discarded' }))]
    const reach = foldReach([seenFrom('a@x.example', 10, true, rules)], plan(rules), [], context)
    expect(reach).toMatchObject({ looked: 1, matched: 1, elsewhere: 1 })
  })
})
