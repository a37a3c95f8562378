import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { parseAddress } from '@pendro/core/address'
import type { MailboxPolicy } from '@pendro/core/judgement'
import {
  changesNothing,
  findBlockGap,
  findNarrower,
  patternsBeside,
  planChange,
  reach,
  totalOf,
  type Beside,
  type SeenDeliveries,
} from '@pendro/core/rulings'
import {
  noAuthentication,
  parsePattern,
  patternText,
  type SenderFacts,
  type SenderPattern,
} from '@pendro/core/senders'
import {
  createAudit,
  findSlips,
  tidyKinds,
  type RegisteredEntry,
  type UpkeepFinding,
} from '@pendro/core/upkeep'

const pattern = (text: string): SenderPattern => {
  const parsed = parsePattern(text)
  if (!parsed.ok) throw new Error(text)
  return parsed.value
}
const address = (text: string) => {
  const parsed = parseAddress(text)
  if (!parsed.ok) throw new Error(text)
  return parsed.value
}

const day = 86_400_000
const now = 1_000 * day
const policy = { ownDomains: ['harbour.example'], sharedProviders: ['freepost.example'] }
const box = (mailboxId: number): MailboxPolicy => ({
  mailboxId,
  limits: { junk: 40, quarantined: 60, nearCertain: 80 },
  usesSetAside: false,
  filtering: true,
})
const ours = 0
/** `owner`: number of a mailbox, or `ours`. */
function entry(
  id: number,
  text: string,
  standing: 'safe' | 'blocked',
  owner = ours,
  more: Partial<RegisteredEntry> = {},
): RegisteredEntry {
  return {
    id,
    pattern: pattern(text),
    standing,
    owner: owner === ours ? { kind: 'organisation' } : { kind: 'mailbox', mailboxId: owner },
    binding: false,
    withoutAuthentication: false,
    until: null,
    createdAt: now - 100 * day,
    lastMatchedAt: now - day,
    ...more,
  }
}
const sentBy = (from: string, more: Partial<SenderFacts> = {}): SenderFacts => ({
  from: [address(from)],
  envelopeFrom: null,
  sender: null,
  listId: null,
  authentication: { ...noAuthentication, dmarc: { result: 'pass', domain: address(from).domain } },
  ...more,
})
const seen = (
  from: string,
  {
    to = 1,
    score = 50,
    count = 1,
    called = null,
    sender = {},
  }: {
    to?: number
    score?: number
    count?: number
    called?: SeenDeliveries['calledByPerson']
    sender?: Partial<SenderFacts>
  } = {},
): SeenDeliveries => ({
  facts: { sender: sentBy(from, sender), harm: null, score, bulk: false, unreadable: false, rules: [] },
  mailbox: box(to),
  count,
  calledByPerson: called,
})

function audit(
  entries: readonly RegisteredEntry[],
  history: readonly SeenDeliveries[] = [],
  more: { frequent?: readonly string[]; writtenTo?: (entry: RegisteredEntry) => number } = {},
): readonly UpkeepFinding[] {
  const { frequent = [], writtenTo = () => 0 } = more
  const looking = createAudit(entries, { policy, now, frequent, writtenTo })
  for (const one of history) looking.see(one)
  return looking.findings()
}
const brief = (findings: readonly UpkeepFinding[]) =>
  findings.map(({ kind, entries }) => `${kind} ${entries.map(({ id }) => id).join('+')}`)

describe('findings, each beside its near miss', () => {
  const quietLongAgo = { createdAt: now - 400 * day, lastMatchedAt: now - 200 * day }
  test.each<readonly [string, readonly RegisteredEntry[], readonly SeenDeliveries[], readonly string[]]>([
    [
      'opposite entries of one list contradict',
      [entry(1, 'a@x.example', 'safe', 1), entry(2, 'a@x.example', 'blocked', 1)],
      [],
      ['contradicts 1+2'],
    ],
    [
      'of two colleagues they do not',
      [entry(1, 'a@x.example', 'safe', 1), entry(2, 'a@x.example', 'blocked', 2)],
      [],
      [],
    ],
    [
      'of a colleague and the organisation they do',
      [entry(1, 'a@x.example', 'safe', 1), entry(2, 'a@x.example', 'blocked')],
      [],
      ['contradicts 2+1'],
    ],
    [
      'a narrow exception that wins is meant',
      [entry(1, 'a@x.example', 'safe', 1), entry(2, 'x.example', 'blocked', 1)],
      [],
      [],
    ],
    [
      'a narrow entry that is always overruled contradicts',
      [entry(1, 'a@x.example', 'safe', 1), entry(2, 'x.example', 'blocked', ours, { binding: true })],
      [],
      ['contradicts 1+2'],
    ],
    [
      'unless it lasts longer than what overrules it',
      [
        entry(1, 'a@x.example', 'safe', 1),
        entry(2, 'x.example', 'blocked', ours, { binding: true, until: now + day }),
      ],
      [],
      [],
    ],
    [
      'an expired one contradicts nothing, and is told as expired',
      [entry(1, 'a@x.example', 'safe', 1, { until: now }), entry(2, 'a@x.example', 'blocked', 1)],
      [],
      ['expired 1'],
    ],
    [
      'a whole shared provider is too wide',
      [entry(1, 'freepost.example', 'safe', 1)],
      [],
      ['lets-in-too-much 1'],
    ],
    ['one address there is not', [entry(1, 'sister@freepost.example', 'safe', 1)], [], []],
    ['blocking a shared provider lets nothing in', [entry(1, 'freepost.example', 'blocked', 1)], [], []],
    ['our own domain is too wide', [entry(1, '*.harbour.example', 'safe')], [], ['lets-in-too-much 1']],
    [
      'a wildcard of which one domain was seen',
      [entry(1, '*.x.example', 'safe')],
      [seen('a@mail.x.example', { count: 9 })],
      ['lets-in-too-much 1'],
    ],
    [
      'two domains are what it is for',
      [entry(1, '*.x.example', 'safe')],
      [seen('a@mail.x.example', { count: 5 }), seen('b@x.example', { count: 4 })],
      [],
    ],
    [
      'too little seen says nothing',
      [entry(1, '*.x.example', 'safe')],
      [seen('a@mail.x.example', { count: 4 })],
      [],
    ],
    [
      'a new wildcard is left in peace',
      [entry(1, '*.x.example', 'safe', ours, { createdAt: now - 5 * day })],
      [seen('a@mail.x.example', { count: 9 })],
      [],
    ],
    [
      'a domain that let junk in',
      [entry(1, 'x.example', 'safe')],
      [seen('spam@x.example', { score: 95 }), seen('a@x.example')],
      ['let-harm-in 1'],
    ],
    [
      'a sender people called wanted is no harm, whatever the score',
      [entry(1, 'x.example', 'safe')],
      [seen('a@x.example', { score: 95, called: 'wanted' })],
      [],
    ],
    [
      'a safe address exists because its score is wrong',
      [entry(1, 'a@x.example', 'safe')],
      [seen('a@x.example', { score: 95 })],
      [],
    ],
    [
      'but a person’s word counts',
      [entry(1, 'a@x.example', 'safe')],
      [seen('a@x.example', { called: 'junk' })],
      ['let-harm-in 1'],
    ],
    [
      'a block that was reversed twice',
      [entry(1, 'x.example', 'blocked')],
      [seen('a@x.example', { called: 'wanted', count: 2 })],
      ['blocks-wanted 1'],
    ],
    ['once is chance', [entry(1, 'x.example', 'blocked')], [seen('a@x.example', { called: 'wanted' })], []],
    [
      'covered by a wider one of the same list',
      [entry(1, 'a@x.example', 'safe'), entry(2, 'x.example', 'safe')],
      [seen('a@x.example')],
      ['covered 1+2'],
    ],
    [
      'an exception between the two keeps it',
      [
        entry(1, 'a@mail.x.example', 'safe'),
        entry(2, '*.x.example', 'safe'),
        entry(3, 'mail.x.example', 'blocked'),
      ],
      [],
      [],
    ],
    [
      'a wider one that ends sooner does not cover',
      [entry(1, 'a@x.example', 'safe'), entry(2, 'x.example', 'safe', ours, { until: now + day })],
      [],
      [],
    ],
    [
      'one that asks for proof does not cover one that asks for none',
      [entry(1, 'a@x.example', 'safe', ours, { withoutAuthentication: true }), entry(2, 'x.example', 'safe')],
      [],
      [],
    ],
    [
      'a colleague’s entry never covers the organisation’s',
      [entry(1, 'a@x.example', 'safe'), entry(2, 'x.example', 'safe', 1)],
      [],
      [],
    ],
    [
      'a personal block goes to junk, the organisation’s to quarantine: not the same',
      [entry(1, 'a@x.example', 'blocked', 1), entry(2, 'x.example', 'blocked')],
      [seen('a@x.example')],
      [],
    ],
    [
      'a colleague’s own block between two of the organisation’s sends to junk: the first is needed',
      [
        entry(1, 'b@mail.x.example', 'blocked', ours, { binding: true }),
        entry(2, '*.x.example', 'blocked', 2),
        entry(3, 'mail.x.example', 'blocked'),
      ],
      [],
      [],
    ],
    [
      'unless the organisation’s is asked first anyway',
      [entry(1, 'a@x.example', 'blocked', 1), entry(2, 'x.example', 'blocked', ours, { binding: true })],
      [seen('a@x.example')],
      ['covered 1+2'],
    ],
    [
      'three colleagues keep the same',
      [
        entry(1, 'a@x.example', 'safe', 1),
        entry(2, 'a@x.example', 'safe', 2),
        entry(3, 'a@x.example', 'safe', 3),
      ],
      [],
      ['for-everyone 1+2+3'],
    ],
    ['two are not enough', [entry(1, 'a@x.example', 'safe', 1), entry(2, 'a@x.example', 'safe', 2)], [], []],
    [
      'never authenticated',
      [entry(1, 'a@x.example', 'safe', 1)],
      [seen('a@x.example', { count: 3, sender: { authentication: noAuthentication } })],
      ['never-authenticated 1'],
    ],
    [
      'authenticated once is enough',
      [entry(1, 'a@x.example', 'safe', 1)],
      [seen('a@x.example', { count: 3, sender: { authentication: noAuthentication } }), seen('a@x.example')],
      [],
    ],
    ['gone quiet', [entry(1, 'a@x.example', 'safe', 1, quietLongAgo)], [], ['quiet 1']],
    [
      '179 days are not 180',
      [entry(1, 'a@x.example', 'safe', 1, { ...quietLongAgo, lastMatchedAt: now - 179 * day })],
      [],
      [],
    ],
    [
      'young and never matched is not quiet',
      [entry(1, 'a@x.example', 'safe', 1, { lastMatchedAt: null })],
      [],
      [],
    ],
    [
      'the same entry twice',
      [entry(1, 'x.example', 'blocked', 1), entry(2, 'x.example', 'blocked', 1)],
      [],
      ['duplicate 2+1'],
    ],
  ])('%s', (_, entries, history, expected) => {
    expect(brief(audit(entries, history))).toEqual(expected)
  })

  test('an address one slip of the finger from a frequent sender, that never wrote', () => {
    const unmet = { lastMatchedAt: null }
    const frequent = ['nell.carding@print.example', 'print.example']
    const found = audit([entry(1, 'nell.cardign@print.example', 'safe', 1, unmet)], [], { frequent })
    expect(brief(found)).toEqual(['slip 1'])
    expect(found[0]?.remedies[0]).toMatchObject({ name: 'correct' })
    expect(found[0]?.remedies[0]?.change.add.map(({ pattern: p }) => patternText(p))).toEqual([
      'nell.carding@print.example',
    ])
    expect(
      brief(audit([entry(1, 'nell.carding@print.example', 'safe', 1, unmet)], [], { frequent })),
    ).toEqual([])
    expect(brief(audit([entry(1, 'nell.cardign@print.example', 'safe', 1)], [], { frequent }))).toEqual([])
  })

  test('a block on somebody the owner writes to', () => {
    const written = (n: number) => audit([entry(1, 'a@x.example', 'blocked', 1)], [], { writtenTo: () => n })
    expect(brief(written(2))).toEqual(['blocks-wanted 1'])
    expect(brief(written(1))).toEqual([])
  })

  test('a finding keeps its name, and its basis changes with what it rests on', () => {
    const list = [entry(1, 'x.example', 'safe')]
    const [first] = audit(list, [seen('spam@x.example', { score: 95 })])
    const [same] = audit(list, [seen('spam@x.example', { score: 95 }), seen('a@x.example')])
    const [worse] = audit(list, [seen('spam@x.example', { score: 95, count: 40 })])
    expect([same?.key, same?.basis]).toEqual([first?.key, first?.basis])
    expect(worse?.key).toBe(first?.key)
    expect(worse?.basis).not.toBe(first?.basis)
  })

  test('the worst kind comes first, and within a kind what weighs more', () => {
    const found = audit(
      [
        entry(1, 'quiet.example', 'blocked', 1, { createdAt: now - 400 * day, lastMatchedAt: null }),
        entry(2, 'few@x.example', 'blocked', 2),
        entry(3, 'many@y.example', 'blocked', 3),
        entry(4, 'gone.example', 'safe', 1, { until: now - 1 }),
        entry(5, 'freepost.example', 'safe', 1),
      ],
      [
        seen('few@x.example', { to: 2, called: 'wanted', count: 3 }),
        seen('many@y.example', { to: 3, called: 'wanted', count: 30 }),
      ],
    )
    expect(found.map(({ kind, entries }) => [kind, entries[0]?.id])).toEqual([
      ['lets-in-too-much', 5],
      ['blocks-wanted', 3],
      ['blocks-wanted', 2],
      ['quiet', 1],
      ['expired', 4],
    ])
  })

  test('what blocks wanted mail is looked at anew when more of it came back, up to ten, or somebody writes to it', () => {
    const basis = (count: number, written = 0) =>
      audit([entry(1, 'a@x.example', 'blocked')], [seen('a@x.example', { called: 'wanted', count })], {
        writtenTo: () => written,
      }).find(({ kind }) => kind === 'blocks-wanted')?.basis
    expect(basis(3)).not.toBe(basis(4))
    expect(basis(10)).toBe(basis(40))
    expect(basis(3, 9)).not.toBe(basis(3))
  })

  test('a covered entry is ended, and its numbers are told', () => {
    const [found] = audit(
      [entry(1, '*.x.example', 'blocked'), entry(2, 'a@x.example', 'blocked')],
      [seen('a@x.example', { count: 4 })],
    )
    expect(found).toMatchObject({
      kind: 'covered',
      remedies: [{ name: 'end', change: { add: [], end: [{ id: 2 }] } }],
      facts: { letIn: 4, harmful: 0, senders: 1 },
    })
  })

  test('what is never proven may be let in without: the very same entry, but for that', () => {
    const [found] = audit(
      [entry(1, 'x.example', 'safe', 1)],
      [seen('a@x.example', { count: 9, sender: { authentication: noAuthentication } })],
    )
    expect(found).toMatchObject({
      kind: 'never-authenticated',
      remedies: [
        { name: 'end' },
        {
          name: 'without-authentication',
          change: { add: [{ withoutAuthentication: true }], end: [{ id: 1 }] },
        },
      ],
    })
  })

  test.each<[string, readonly (number | null)[], number | null]>([
    ['one that lasts', [now + 5 * day, null, now + 9 * day, now + day, now + day], null],
    [
      'the longest of them',
      [now + 5 * day, now + 2 * day, now + 9 * day, now + day, now + day],
      now + 9 * day,
    ],
  ])('what many have is made one for everybody as long as %s', (_, untils, until) => {
    const found = audit(
      untils.map((end, i) => entry(i + 1, 'many.example', 'blocked', i + 1, { until: end })),
    )
    const one = found.find(({ kind }) => kind === 'for-everyone')
    expect(one?.remedies[0]?.change.add).toMatchObject([{ until, owner: { kind: 'organisation' } }])
  })

  test('nonsense limits are refused', () => {
    const given = { policy, now, frequent: [], writtenTo: () => 0 }
    expect(() => createAudit([], { ...given, limits: { quietDays: Number.NaN } })).toThrow(/quietDays/)
  })
})

describe('slips', () => {
  test('short names are near each other by chance', () => {
    expect(findSlips(['ann@x.example'])(pattern('anna@x.example'))).toBe(null)
  })
})

describe('remedies prove themselves', () => {
  const domains = ['x.example', 'mail.x.example', 'y.example']
  const someEntry = fc.record({
    text: fc.constantFrom(
      'a@x.example',
      'b@mail.x.example',
      'a@y.example',
      ...domains,
      '*.x.example',
      '<news.x.example>',
    ),
    standing: fc.constantFrom('safe' as const, 'blocked' as const),
    owner: fc.constantFrom(ours, 1, 2, 3),
    binding: fc.boolean(),
    withoutAuthentication: fc.boolean(),
    until: fc.constantFrom(null, now - 1, now + day),
  })
  const register = fc.array(someEntry, { maxLength: 14 }).map(all => {
    const unique = new Map(all.map(one => [`${one.text} ${one.standing} ${one.owner}`, one]))
    return [...unique.values()].map(({ text, standing, owner, binding, ...more }, i) =>
      entry(i + 1, text, standing, owner, { ...more, binding: binding && owner === ours }),
    )
  })
  const delivery = fc
    .record({
      from: fc.constantFrom('a@x.example', 'b@mail.x.example', 'a@y.example', 'c@x.example'),
      to: fc.constantFrom(1, 2, 3, 4),
      score: fc.constantFrom(10, 50, 70, 95),
      called: fc.constantFrom(null, 'wanted' as const, 'junk' as const),
      proven: fc.boolean(),
      listId: fc.constantFrom(null, 'news.x.example'),
    })
    .map(({ from, to, score, called, proven, listId }) =>
      seen(from, {
        to,
        score,
        called,
        sender: { listId, ...(proven ? {} : { authentication: noAuthentication }) },
      }),
    )
  test('ending all that is covered, doubled or expired changes no outcome of any mail, seen or not', () => {
    let tidied = 0
    fc.assert(
      fc.property(
        register,
        fc.array(delivery, { maxLength: 20 }),
        fc.array(delivery, { maxLength: 20 }),
        (entries, history, later) => {
          const tidy = audit(entries, history).filter(({ kind }) => tidyKinds.includes(kind))
          tidied += tidy.length
          const end = tidy.flatMap(({ remedies }) => remedies[0]?.change.end ?? [])
          for (const mail of [history, later])
            expect(changesNothing(reach({ add: [], end }, entries, mail, { policy, now }))).toBe(true)
        },
      ),
      { numRuns: 2500 },
    )
    expect(tidied).toBeGreaterThan(200)
  })
  test('no remedy leaves opposite entries for one pattern in one list', () => {
    fc.assert(
      fc.property(register, fc.array(delivery, { maxLength: 10 }), (entries, history) => {
        for (const { remedies } of audit(entries, history))
          for (const { change } of remedies) {
            const ended = new Set(change.end.map(({ id }) => id))
            const after = [
              ...entries.filter(({ id, until }) => !ended.has(id) && (until === null || until > now)),
              ...change.add,
            ]
            for (const added of change.add)
              expect(
                after.filter(
                  other =>
                    other.standing !== added.standing &&
                    patternText(other.pattern) === patternText(added.pattern) &&
                    JSON.stringify(other.owner) === JSON.stringify(added.owner),
                ),
              ).toEqual([])
          }
      }),
      { numRuns: 400 },
    )
  })
})

describe('patterns beside a proposal', () => {
  const history = [
    seen('jobs@x.example', { count: 6 }),
    seen('news@mail.x.example', { count: 4, sender: { listId: 'news.x.example' } }),
    seen('spam@x.example', { score: 95, count: 3 }),
    seen('a@elsewhere.example', { count: 50 }),
  ]
  const proposed = (text: string, standing: 'safe' | 'blocked' = 'safe') => {
    const { id: _, ...rest } = entry(0, text, standing)
    return rest
  }
  const replay = (text: string, standing: 'safe' | 'blocked' = 'safe') =>
    reach(planChange([proposed(text, standing)], [], now), [], history, { policy, now })
  const beside = (text: string, standing: 'safe' | 'blocked' = 'safe'): readonly Beside[] =>
    patternsBeside(pattern(text), history).map(other => ({
      pattern: other,
      reach: replay(patternText(other), standing),
    }))

  test('narrower ones are what was really sent, wider ones end at the organisation', () => {
    expect(patternsBeside(pattern('x.example'), history).map(patternText)).toEqual([
      'jobs@x.example',
      'spam@x.example',
      '*.x.example',
    ])
    expect(patternsBeside(pattern('*.x.example'), history).map(patternText)).toEqual([
      'jobs@x.example',
      'news@mail.x.example',
      'spam@x.example',
      '<news.x.example>',
      'x.example',
      'mail.x.example',
    ])
  })
  test('the narrowest pattern that frees the same wanted mail without the harmful is offered', () => {
    const found = findNarrower(pattern('x.example'), replay('x.example'), beside('x.example'))
    expect(found && patternText(found.pattern)).toBe('jobs@x.example')
    expect(found?.reach.letThrough).toEqual({ wanted: 0, doubtful: 6, harmful: 0 })
  })
  test('none is offered when it would leave some of the wanted behind, or there is no harm', () => {
    expect(findNarrower(pattern('*.x.example'), replay('*.x.example'), beside('*.x.example'))).toBe(null)
    expect(findNarrower(pattern('jobs@x.example'), replay('jobs@x.example'), beside('jobs@x.example'))).toBe(
      null,
    )
  })
  describe('a block and what it misses', () => {
    const from = (n: number, bulk: boolean) =>
      Array.from({ length: n }, (_, i): SeenDeliveries => {
        const one = seen(`offer-${i}@promo.example`, { sender: { listId: 'offers.promo.example' } })
        return { ...one, facts: { ...one.facts, bulk } }
      })
    const gap = (text: string, history: readonly SeenDeliveries[]) => {
      const found = findBlockGap(pattern(text), patternsBeside(pattern(text), history), history)
      return found && [found.missed, found.addresses, patternText(found.better)]
    }
    test('a bulk sender changes addresses: the numbers, and the mailing list as what would do', () => {
      expect(gap('offer-1@promo.example', from(12, true))).toEqual([11, 12, '<offers.promo.example>'])
    })
    test('people who write from one domain are no bulk sender', () => {
      expect(gap('offer-1@promo.example', from(12, false))).toBe(null)
    })
    test('two addresses may be chance, and a domain that meets all misses nothing', () => {
      expect(gap('offer-1@promo.example', from(2, true))).toBe(null)
      expect(gap('promo.example', from(12, true))).toBe(null)
    })
  })
  test('a narrower safe pattern never lets more through', () => {
    const someMail = fc.array(
      fc
        .record({
          local: fc.constantFrom('a', 'b', 'c'),
          domain: fc.constantFrom('x.example', 'mail.x.example', 'y.example'),
          score: fc.constantFrom(10, 50, 95),
        })
        .map(({ local, domain, score }) => seen(`${local}@${domain}`, { score })),
      { maxLength: 20 },
    )
    fc.assert(
      fc.property(someMail, fc.constantFrom('x.example', '*.x.example', 'a@x.example'), (mail, text) => {
        const at = (p: SenderPattern) =>
          totalOf(
            reach(planChange([proposed(patternText(p))], [], now), [], mail, { policy, now }).letThrough,
          )
        const own = at(pattern(text))
        for (const other of patternsBeside(pattern(text), mail)) {
          if (other.kind === 'list') continue
          const isWider =
            patternText(other).startsWith('*.') || (text.includes('@') && !patternText(other).includes('@'))
          if (isWider) expect(at(other)).toBeGreaterThanOrEqual(own)
          else expect(at(other)).toBeLessThanOrEqual(own)
        }
      }),
    )
  })
})
