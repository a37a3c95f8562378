import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { parseAuthenticationResults, toAuthentication } from '@pendro/core/authentication'
import { addressText, parseAddress, type Address } from '@pendro/core/address'
import {
  candidateTexts,
  consultList,
  displayPattern,
  isAuthenticated,
  matchesAddress,
  matchesBlocked,
  noAuthentication,
  parsePattern,
  patternText,
  specificity,
  type Authentication,
  type SenderEntry,
  type SenderFacts,
  type SenderPattern,
} from '@pendro/core/senders'

export const address = (text: string): Address => {
  const parsed = parseAddress(text)
  if (!parsed.ok) throw new Error(text)
  return parsed.value
}
export const pattern = (text: string): SenderPattern => {
  const parsed = parsePattern(text)
  if (!parsed.ok) throw new Error(text)
  return parsed.value
}

describe('patterns as typed', () => {
  test.each([
    ['anna@x.example', 'anna@x.example', 'address'],
    ['  Anna@X.Example. ', 'anna@x.example', 'address'],
    ['anna+Orders@x.example', 'anna+orders@x.example', 'address'],
    ['"anna"@x.example', 'anna@x.example', 'address'],
    ['"anna b"@x.example', '"anna b"@x.example', 'address'],
    ['<anna@x.example>', 'anna@x.example', 'address'],
    ['x.example', 'x.example', 'domain'],
    ['@x.example', 'x.example', 'domain'],
    ['*.x.example', '*.x.example', 'subtree'],
    ['Bücher.example', 'xn--bcher-kva.example', 'domain'],
    ['<Gale-Bulletins.havbris.example>', '<gale-bulletins.havbris.example>', 'list'],
  ])('%j is %s, a %s', (typed, text, kind) => {
    const parsed = pattern(typed)
    expect([patternText(parsed), parsed.kind]).toEqual([text, kind])
    expect(pattern(patternText(parsed))).toEqual(parsed)
  })
  test.each([
    ['', 'empty-pattern'],
    ['@', 'empty-pattern'],
    ['*.', 'empty-pattern'],
    ['com', 'public-suffix'],
    ['co.uk', 'public-suffix'],
    ['*.co.uk', 'public-suffix'],
    ['192.0.2.7', 'ip-literal'],
    ['@[192.0.2.7]', 'ip-literal'],
    ['*', 'star-inside'],
    ['a*@x.example', 'star-inside'],
    ['x.*.example', 'star-inside'],
    ['@x.example@', 'bad-domain'],
    ['a b@x.example', 'bad-local'],
    ['anna@', 'empty-domain'],
    ['@@x.example', 'bad-domain'],
    ['<newsletter>', 'bad-list-id'],
    ['x example', 'bad-domain'],
    [`${'a'.repeat(65)}@x.example`, 'too-long'],
  ])('%j is refused: %s', (typed, code) =>
    expect(parsePattern(typed)).toMatchObject({ ok: false, problem: { code } }),
  )
  test('is shown in its own script', () =>
    expect(displayPattern(pattern('*.xn--bcher-kva.example'))).toBe('*.bücher.example'))
})

describe('matching an address', () => {
  test.each([
    ['anna@x.example', 'anna@x.example', true],
    ['anna@x.example', 'anna+orders@x.example', true],
    ['anna+orders@x.example', 'anna@x.example', false],
    ['anna+orders@x.example', 'anna+other@x.example', false],
    ['anna+orders@x.example', 'ANNA+ORDERS@X.EXAMPLE', true],
    ['anna@x.example', 'anna@a.x.example', false],
    ['anna@x.example', 'joanna@x.example', false],
    ['x.example', 'anna@x.example', true],
    ['x.example', 'anna@a.x.example', false],
    ['x.example', 'anna@ax.example', false],
    ['*.x.example', 'anna@x.example', true],
    ['*.x.example', 'anna@a.b.x.example', true],
    ['*.x.example', 'anna@ax.example', false],
    ['*.x.example', 'anna@x.example.test', false],
  ])('%s against %s: %s', (text, sender, want) =>
    expect(matchesAddress(pattern(text), address(sender))).toBe(want),
  )
})

test('specificity falls from tagged address to the farther wildcard', () => {
  const order = [
    'a+t@b.x.example',
    'a@b.x.example',
    '<l.x.example>',
    'b.x.example',
    '*.b.x.example',
    '*.x.example',
  ]
  const found = order.map(text => specificity(pattern(text)))
  expect(found).toEqual([...found].sort((a, b) => b - a))
  expect(new Set(found).size).toBe(order.length)
  expect(specificity(pattern(`*.${'a.'.repeat(120)}example`))).toBeLessThan(specificity(pattern('x.example')))
})

const aligned = (domain: string): Authentication => ({ ...noAuthentication, spf: { result: 'pass', domain } })
const facts = (from: string, more: Partial<SenderFacts> = {}): SenderFacts => ({
  from: from.split(' ').map(address),
  envelopeFrom: null,
  sender: null,
  listId: null,
  authentication: aligned(address(from.split(' ')[0] ?? '').domain),
  ...more,
})
let lastId = 0
const entry = (standing: 'safe' | 'blocked', text: string, more: Partial<SenderEntry> = {}): SenderEntry => ({
  id: (lastId += 1),
  pattern: pattern(text),
  standing,
  owner: { kind: 'mailbox', mailboxId: 1 },
  binding: false,
  withoutAuthentication: false,
  until: null,
  ...more,
})
const context = { tie: 'safe', ownDomains: ['vindholm.example'], now: 1000 } as const

describe('one list consulted', () => {
  const decides = (entries: SenderEntry[], f: SenderFacts, tie: 'safe' | 'blocked' = 'safe') =>
    consultList(entries, f, { ...context, tie }).decided?.standing ?? null

  test('the narrower entry decides, and the other is named', () => {
    const [wide, narrow] = [entry('blocked', '*.x.example'), entry('safe', 'a@b.x.example')]
    expect(consultList([wide, narrow], facts('a@b.x.example'), context)).toEqual({
      decided: narrow,
      overruled: [wide],
      refused: [],
    })
  })
  test('the nearest wildcard decides', () =>
    expect(
      decides([entry('blocked', '*.x.example'), entry('safe', '*.b.x.example')], facts('a@c.b.x.example')),
    ).toBe('safe'))
  test('equally narrow: the tie rule of the list', () => {
    const both = [entry('blocked', 'a@x.example'), entry('safe', 'a@x.example')]
    expect(decides(both, facts('a@x.example'), 'safe')).toBe('safe')
    expect(decides(both, facts('a@x.example'), 'blocked')).toBe('blocked')
  })
  test('one blocked From of several is enough; safe needs all', () => {
    const two = facts('a@x.example b@y.example', {
      authentication: { ...aligned('x.example'), dkim: [{ result: 'pass', domain: 'y.example' }] },
    })
    expect(decides([entry('blocked', 'y.example')], two)).toBe('blocked')
    expect(decides([entry('safe', 'x.example')], two)).toBeNull()
    expect(decides([entry('safe', 'x.example'), entry('safe', 'b@y.example')], two)).toBe('safe')
    // y is covered by its address, x by its domain only: a block at domain level ties with the weaker one
    expect(
      decides(
        [entry('safe', 'x.example'), entry('safe', 'b@y.example'), entry('blocked', 'y.example')],
        two,
        'blocked',
      ),
    ).toBe('blocked')
  })
  test('a block sees envelope sender and Sender, a safe entry does not', () => {
    const f = facts('a@x.example', {
      envelopeFrom: address('bounce@mailer.example'),
      sender: address('desk@agent.example'),
    })
    expect(decides([entry('blocked', 'mailer.example')], f)).toBe('blocked')
    expect(decides([entry('blocked', 'desk@agent.example')], f)).toBe('blocked')
    expect(decides([entry('safe', 'mailer.example')], f)).toBeNull()
  })
  test('a mailing list is narrower than a domain and wider than an address', () => {
    const f = facts('a@x.example', { listId: 'news.x.example' })
    expect(decides([entry('safe', '<news.x.example>'), entry('blocked', 'x.example')], f)).toBe('safe')
    expect(decides([entry('safe', '<news.x.example>'), entry('blocked', 'a@x.example')], f)).toBe('blocked')
  })
  test('expired matches nothing, from the very millisecond', () => {
    expect(decides([entry('safe', 'a@x.example', { until: 1000 })], facts('a@x.example'))).toBeNull()
    expect(decides([entry('safe', 'a@x.example', { until: 1001 })], facts('a@x.example'))).toBe('safe')
  })
  test('safe without authentication is refused by name; a lesser block then decides', () => {
    const [safe, block] = [entry('safe', 'a@x.example'), entry('blocked', '*.x.example')]
    expect(
      consultList([safe, block], facts('a@x.example', { authentication: noAuthentication }), context),
    ).toEqual({
      decided: block,
      overruled: [],
      refused: [{ entry: safe, why: 'not-authenticated' }],
    })
  })
  test('"also without authentication" lets in others, never ourselves', () => {
    const without = { authentication: noAuthentication }
    const open = { withoutAuthentication: true }
    expect(decides([entry('safe', 'a@x.example', open)], facts('a@x.example', without))).toBe('safe')
    expect(
      consultList(
        [entry('safe', 'a@crew.vindholm.example', open)],
        facts('a@crew.vindholm.example', without),
        context,
      ),
    ).toMatchObject({
      decided: null,
      refused: [{ why: 'own-domain' }],
    })
    expect(
      decides([entry('safe', 'a@notvindholm.example', open)], facts('a@notvindholm.example', without)),
    ).toBe('safe')
  })
})

test('property: whatever matches is among the texts a database is asked for', () => {
  const label = fc.constantFrom('a', 'b', 'x')
  const domain = fc
    .array(label, { minLength: 1, maxLength: 3 })
    .map(labels => [...labels, 'example'].join('.'))
  const sender = fc
    .tuple(fc.constantFrom('a', 'a+t', 'a+u', 'b'), domain)
    .map(([local, d]) => address(`${local}@${d}`))
  const anyPattern = fc.oneof(
    sender.map(value => pattern(addressText(value))),
    domain.map(pattern),
    domain.map(d => pattern(`*.${d}`)),
    domain.map(d => pattern(`<${d}>`)),
  )
  const anyFacts = fc.record({
    from: fc.array(sender, { maxLength: 3 }),
    envelopeFrom: fc.option(sender),
    sender: fc.option(sender),
    listId: fc.option(domain),
    authentication: fc.constant(noAuthentication),
  })
  let matched = 0
  fc.assert(
    fc.property(anyPattern, anyFacts, (p, f) => {
      if (!matchesBlocked(p, f)) return
      matched += 1
      expect(candidateTexts(f)).toContain(patternText(p))
    }),
    { numRuns: 2000 },
  )
  expect(matched).toBeGreaterThan(100)
})

describe('Authentication-Results', () => {
  /** What a host we trust under this name says in one field. */
  const read = (field: string) => {
    const parsed = parseAuthenticationResults(field)
    return parsed?.authservId === 'example.com' ? toAuthentication(parsed) : noAuthentication
  }
  // RFC 8601 appendix B; B.n is its example number
  test.each([
    ['B.2 no authentication done', 'example.org 1; none', {}],
    [
      'B.3',
      'example.com; spf=pass smtp.mailfrom=example.net',
      { spf: { result: 'pass', domain: 'example.net' } },
    ],
    [
      'B.4 auth first',
      'example.com; auth=pass (cram-md5) smtp.auth=sender@example.net; spf=pass smtp.mailfrom=example.net',
      { spf: { result: 'pass', domain: 'example.net' } },
    ],
    [
      'B.5 dkim with a comment',
      'example.com; dkim=pass (good signature) header.d=example.com',
      { dkim: [{ result: 'pass', domain: 'example.com' }] },
    ],
    [
      'B.5 spf fail',
      'example.com; auth=pass (cram-md5) smtp.auth=sender@example.com; spf=fail smtp.mailfrom=example.com',
      { spf: { result: 'fail', domain: 'example.com' } },
    ],
    [
      'B.6 two signatures',
      'example.com; dkim=pass reason="good signature" header.i=@mail-router.example.net; dkim=fail reason="bad signature" header.i=@newyork.example.com',
      {
        dkim: [
          { result: 'pass', domain: 'mail-router.example.net' },
          { result: 'fail', domain: 'newyork.example.com' },
        ],
      },
    ],
    ['B.6 of another host', 'example.net; dkim=pass (good signature) header.i=@newyork.example.com', {}],
    // not in the RFC
    ['a host that only begins alike', 'example.com.evil.example; dmarc=pass header.from=x.example', {}],
    [
      'a comment that looks like a result',
      'example.com; spf=fail (dmarc=pass; spf=pass) smtp.mailfrom=x.example',
      { spf: { result: 'fail', domain: 'x.example' } },
    ],
    [
      'a semicolon in quotes',
      'example.com; dkim=fail reason="x; dmarc=pass" header.d=x.example',
      { dkim: [{ result: 'fail', domain: 'x.example' }] },
    ],
    [
      'a temporary error is its own outcome',
      'example.com; dmarc=temperror header.from=x.example',
      { dmarc: { result: 'temperror', domain: 'x.example' } },
    ],
  ])('%s', (_name, field, want) => expect(read(field)).toMatchObject({ ...noAuthentication, ...want }))
  test.each([
    [
      'spf pass, same organisation',
      'news.x.example',
      { spf: { result: 'pass', domain: 'bounce.x.example' } },
      true,
    ],
    [
      'spf pass, other organisation',
      'x.example',
      { spf: { result: 'pass', domain: 'mailer.example' } },
      false,
    ],
    ['dkim pass, parent', 'a.x.co.uk', { dkim: [{ result: 'pass', domain: 'x.co.uk' }] }, true],
    [
      'dkim pass, only the public suffix shared',
      'x.co.uk',
      { dkim: [{ result: 'pass', domain: 'y.co.uk' }] },
      false,
    ],
    ['dmarc pass for another From', 'x.example', { dmarc: { result: 'pass', domain: 'y.example' } }, false],
    ['temporary error', 'x.example', { spf: { result: 'temperror', domain: 'x.example' } }, false],
    ['dkim fail', 'x.example', { dkim: [{ result: 'fail', domain: 'x.example' }] }, false],
  ] as const)('%s: %s is proven by %j: %s', (_name, domain, found, want) =>
    expect(isAuthenticated(domain, { ...noAuthentication, ...found })).toBe(want),
  )
})
