// @vitest-environment happy-dom
import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import type { StandbySheet } from '@pendro/contract'
import { addressesTyped, answerTo, forwardOf } from '../src/areas/own/standby/letter-text.ts'

const own = 'ingrid@harbour.example'
const wrote = 'Ada Lund wrote on 3 May:'
const sheet = (over: Partial<StandbySheet> = {}) =>
  ({
    subject: 'Berth 4',
    fromAddress: 'ada@tide.example',
    replyTo: ['ada@tide.example'],
    to: [own],
    cc: [],
    text: 'Is it free?',
    ...over,
  }) as StandbySheet
const answer = (over: Partial<StandbySheet> = {}, all = false) => answerTo(sheet(over), { own, all, wrote })

describe('whom an answer goes to (RFC 5322 §3.6.3)', () => {
  test.each([
    ['whoever wrote', {}, false, ['ada@tide.example'], []],
    ['where they want answers', { replyTo: ['desk@tide.example'] }, false, ['desk@tide.example'], []],
    [
      'one’s own letter: the same people again',
      { replyTo: [own], to: ['ada@tide.example'] },
      false,
      ['ada@tide.example'],
      [],
    ],
    [
      'all: the others as copies, oneself not, nobody twice, however it is written',
      {
        to: ['Ingrid@Harbour.example', 'aksel@harbour.example', 'ADA@tide.example'],
        cc: ['Aksel@harbour.example', 'kari@harbour.example'],
      },
      true,
      ['ada@tide.example'],
      ['aksel@harbour.example', 'kari@harbour.example'],
    ],
    [
      'not all: the others are left out',
      { to: [own, 'aksel@harbour.example'], cc: ['kari@harbour.example'] },
      false,
      ['ada@tide.example'],
      [],
    ],
  ] as const)('%s', (_, over, all, to, cc) => {
    const beginning = answer({ ...over } as Partial<StandbySheet>, all)
    expect([beginning.to, beginning.cc]).toEqual([to, cc])
  })
})

describe('its subject', () => {
  test.each([
    ['Berth 4', 'Re: Berth 4'],
    ['Re: Berth 4', 'Re: Berth 4'],
    ['RE: re :  Berth 4', 'Re: Berth 4'],
    ['AW: SV: Berth 4', 'Re: Berth 4'],
    ['Regarding: Berth 4', 'Re: Regarding: Berth 4'],
    ['Berth 4, re: last week', 'Re: Berth 4, re: last week'],
    ['', 'Re: '],
  ])('%j', (subject, wanted) => {
    expect(answer({ subject }).subject).toBe(wanted)
  })
  test.each([
    ['Berth 4', 'Fwd: Berth 4'],
    ['FW: Berth 4', 'Fwd: Berth 4'],
    ['Re: Berth 4', 'Fwd: Re: Berth 4'],
    ['Forward: Berth 4', 'Fwd: Forward: Berth 4'],
  ])('passed on: %j', (subject, wanted) => {
    expect(forwardOf(sheet({ subject }))).toEqual({ to: [], cc: [], subject: wanted, html: '<p></p>' })
  })
})

describe('what is quoted', () => {
  test('a paragraph a line, under who wrote when', () => {
    expect(answer({ text: '\nOne\r\n\r\nTwo\n' }).html).toBe(
      `<p></p><p></p><p>${wrote}</p><blockquote><p>One</p><p></p><p>Two</p></blockquote>`,
    )
  })

  test('nothing of it is markup, whatever was written', () => {
    fc.assert(
      fc.property(fc.string({ unit: fc.constantFrom('<', '>', '&', '"', 'b', '\n', 'é') }), text => {
        const { html } = answer({ text })
        const tags = html.match(/<[^>]*>/g) ?? []
        expect(tags.filter(tag => !/^<\/?(?:p|blockquote)>$/.test(tag))).toEqual([])
        // The browser's own reading of it gives back what was written.
        const quoted = new DOMParser().parseFromString(html, 'text/html').querySelector('blockquote')
        const lines = [...(quoted?.children ?? [])].map(line => line.textContent)
        expect(lines.join('\n')).toBe(text.trim())
      }),
    )
  })
})

describe('addresses that were typed', () => {
  test.each([
    ['ada@tide.example', ['ada@tide.example']],
    ['Ada Lund <ada@tide.example>', ['ada@tide.example']],
    ['"Lund, Ada" <ada@tide.example>; bo@tide.example,', ['ada@tide.example', 'bo@tide.example']],
    ['ada@tide.example ADA@tide.example', ['ada@tide.example']],
    ['Ada Lund', []],
    ['', []],
  ])('%j', (text, wanted) => {
    expect(addressesTyped(text)).toEqual(wanted)
  })
})
