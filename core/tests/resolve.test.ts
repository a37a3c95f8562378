import { describe, expect, test } from 'vitest'
import { boundedResolver, cachedResolver, parseAuthenticationResults } from '@pendro/core/authentication'
import { clusterKey } from '@pendro/core/clusters'
import { isOneEdit } from '@pendro/core/text'
import { findSlips } from '@pendro/core/upkeep'
import { parsePattern } from '@pendro/core/senders'

const failing = (code: string) => () => Promise.reject(Object.assign(new Error(code), { code }))
const codeOf = (asked: Promise<unknown>) =>
  asked.then(
    () => '',
    (error: { code?: string }) => error.code,
  )

describe('look-ups of one message are bounded', () => {
  test('sixty are answered, the next fails for good', async () => {
    let answered = 0
    const resolve = boundedResolver(() => Promise.resolve((answered += 1)))
    for (let i = 0; i < 60; i += 1) await resolve(`h${i}.example`, 'TXT')
    expect(await codeOf(resolve('one.more.example', 'TXT'))).toBe('ELIMIT')
    expect(answered).toBe(60)
  })
  test.each<[string, string]>([
    ['a.example', ''],
    ['a.example.', ''],
    [`${'x'.repeat(63)}.example`, ''],
    [`${'x'.repeat(64)}.example`, 'EBADNAME'],
    ['a..example', 'EBADNAME'],
    ['.example', 'EBADNAME'],
    ['a b.example', 'EBADNAME'],
    ['bücher.example', 'EBADNAME'],
    ['a\u007f.example', 'EBADNAME'],
    [`${'abcdefghi.'.repeat(25)}abcd`, ''],
    [`${'abcdefghi.'.repeat(25)}abcde`, 'EBADNAME'],
  ])('%j: %j (RFC 1035 §2.3.4)', async (name, code) => {
    expect(await codeOf(boundedResolver(() => Promise.resolve([]))(name, 'TXT'))).toBe(code)
  })
  test('a name that can’t be asked for is not counted', async () => {
    const resolve = boundedResolver(() => Promise.resolve([]))
    for (let i = 0; i < 100; i += 1) await codeOf(resolve('a..example', 'TXT'))
    expect(await codeOf(resolve('a.example', 'TXT'))).toBe('')
  })
})

describe('answers are kept', () => {
  const counting = () => {
    const asked: string[] = []
    return { asked, resolve: (name: string, type: string) => Promise.resolve(asked.push(`${type} ${name}`)) }
  }
  test('for as long as was said, by type, whatever the case', async () => {
    let now = 0
    const { asked, resolve } = counting()
    const kept = cachedResolver(resolve, 100, () => now)
    await kept('A.example', 'TXT')
    await kept('a.EXAMPLE', 'TXT')
    await kept('a.example', 'MX')
    now = 99
    await kept('a.example', 'TXT')
    expect(asked).toEqual(['TXT A.example', 'MX a.example'])
    now = 100
    await kept('a.example', 'TXT')
    expect(asked).toHaveLength(3)
  })
  test.each([
    ['ENOTFOUND', 1],
    ['ENODATA', 1],
    ['ETIMEOUT', 2],
    ['ESERVFAIL', 2],
  ])('%s twice is asked %i times', async (code, times) => {
    let asked = 0
    const kept = cachedResolver(
      () => {
        asked += 1
        return failing(code)()
      },
      1000,
      () => 0,
    )
    expect([await codeOf(kept('a.example', 'A')), await codeOf(kept('a.example', 'A'))]).toEqual([code, code])
    expect(asked).toBe(times)
  })
  test('five thousand are kept; with the next one all are let go of, and not before', async () => {
    const { asked, resolve } = counting()
    const kept = cachedResolver(resolve, 1000, () => 0)
    for (let i = 0; i < 5000; i += 1) await kept(`h${i}.example`, 'A')
    await kept('h0.example', 'A')
    expect(asked).toHaveLength(5000)
    await kept('new.example', 'A')
    await kept('h0.example', 'A')
    await kept('new.example', 'A')
    expect(asked).toHaveLength(5002)
  })
})

describe('what makes two messages one text', () => {
  const key = (subject: string, text = 'The ferry leaves at nine.') =>
    clusterKey({ subject, text, messageId: '<1@x.example>' })
  const plain = key('Summer times')
  test.each([
    'Re: Summer times',
    'RE : Summer times',
    'AW: Re: Summer times',
    'Sv:Summer times',
    'Odp: Summer times',
    'Fw: Summer times',
    'Fwd: Summer times',
    'VS: VB: Summer times',
    'Summer times 2026',
    'SUMMER   TIMES!',
  ])('%j is the same subject', subject => expect(key(subject)).toBe(plain))
  test.each(['Summer time', 'Great: Summer times', 'Summer Re: times', 'Resummer times'])(
    '%j is another subject',
    subject => expect(key(subject)).not.toBe(plain),
  )
  test.each([
    'Dear Anna,\nThe ferry leaves at nine.',
    'Hello!\nThe ferry leaves at 9 nine.',
    'The ferry leaves at nine. https://x.example/a?b=c',
    'The ferry leaves http://y.example at nine.',
    'The ferry leaves anna@x.example at nine.',
  ])('%j is the same text', text => expect(key('Summer times', text)).toBe(plain))
  test.each([
    'The ferry leaves at ten.',
    `${'A very long line that can be no greeting since it goes on and on,'}\nThe ferry leaves at nine.`,
    'Dear Anna\nThe ferry leaves at nine.',
  ])('%j is another text', text => expect(key('Summer times', text)).not.toBe(plain))
  test('a greeting goes alone: the lines below it stay apart', () => {
    expect(key('', 'Hello,\none\ntwo')).toBe(key('', 'one two'))
    expect(key('', 'Hello,\none\ntwo')).not.toBe(key('', 'onetwo'))
  })
  test('without words a message is like no other', () => {
    const empty = (messageId: string | null) => clusterKey({ subject: '12:30', text: '!!!', messageId })
    expect(empty('<1@x>')).not.toBe(empty('<2@x>'))
    expect(empty(null)).toBe(empty(null))
  })
})

describe('one slip of the finger', () => {
  test.each<[string, string, boolean]>([
    ['carding', 'cardign', true],
    ['carding', 'cardin', true],
    ['carding', 'carrding', true],
    ['carding', 'carting', true],
    ['carding', 'carding', false],
    ['carding', 'cradign', false],
    ['carding', 'cardi', false],
    ['carding', 'dcaring', false],
    ['abcd', 'badc', false],
    ['ab', 'ba', true],
    ['abc', 'cba', false],
  ])('%j and %j: %s', (a, b, one) => expect([isOneEdit(a, b), isOneEdit(b, a)]).toEqual([one, one]))

  const meant = (text: string, ...frequent: string[]) => {
    const pattern = parsePattern(text)
    if (!pattern.ok) throw new Error(text)
    return findSlips(frequent)(pattern.value)
  }
  test('names of five letters are near each other by chance; the domain of an address does not count', () => {
    expect(meant('ann.i@long-domain.example', 'ann.a@long-domain.example')).toBeNull()
    expect(meant('anna.i@x.example', 'anna.a@x.example')).toBe('anna.a@x.example')
    expect(meant('x.exampla', 'x.example')).toBe('x.example')
  })
  test('of another domain, of another kind, or frequent itself: no slip', () => {
    expect(meant('nell.cardign@print.example', 'nell.carding@other.example')).toBeNull()
    expect(meant('*.prints.example', 'print.example')).toBeNull()
    expect(meant('print.example', 'print.example', 'prints.example')).toBeNull()
  })
})

describe('a field that found nothing (RFC 8601 §2.2)', () => {
  const results = (text: string) => parseAuthenticationResults(text)?.results.length ?? null
  test.each<[string, number | null]>([
    ['mx.example; none', 0],
    ['mx.example; NONE', 0],
    ['mx.example; none; spf=pass', 1],
    ['mx.example;', 0],
    ['mx.example; nothing', null],
    ['mx.example; none more', null],
    ['mx.example; spf=pass; spf', null],
    ['mx.example 1; spf=pass', 1],
    ['mx.example 2; spf=pass', null],
  ])('%j: %j', (text, count) => expect(results(text)).toBe(count))
})
