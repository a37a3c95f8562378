import { describe, expect, test } from 'vitest'
import { parseAddress } from '@pendro/core/address'
import { findUnsubscribe, noAuthentication, type SenderFacts } from '@pendro/core/senders'

const sender = (passes: string | null): SenderFacts => {
  const from = parseAddress('list@x.example')
  if (!from.ok) throw new Error('address')
  return {
    from: [from.value],
    envelopeFrom: null,
    sender: null,
    listId: null,
    authentication: {
      ...noAuthentication,
      dkim: passes === null ? [] : [{ result: 'pass', domain: passes }],
    },
  }
}
const signature = (h: string, d = 'x.example') => ({
  name: 'DKIM-Signature',
  value: `v=1; a=rsa-sha256; d=${d}; s=m1;\r\n h=${h}; bh=abc; b=def`,
})
const both = 'From:To:List-Unsubscribe:List-Unsubscribe-Post'
const field = (name: string, value: string) => ({ name, value })
const post = field('List-Unsubscribe-Post', 'List-Unsubscribe=One-Click')

describe('a sender’s own way out', () => {
  // RFC 8058 §8.1, "Simple": one HTTPS address, the Post field, both signed.
  test('one click', () => {
    const headers = [
      field('List-Unsubscribe', '<https://x.example/unsubscribe/opaquepart>'),
      post,
      signature(both),
    ]
    expect(findUnsubscribe(headers, sender('x.example'))).toEqual({
      kind: 'one-click',
      url: 'https://x.example/unsubscribe/opaquepart',
    })
  })
  // RFC 8058 §8.2, "Complex": a mailto before it, folded.
  test('one click beside a mailto', () => {
    const headers = [
      field(
        'List-Unsubscribe',
        '<mailto:listrequest@x.example?subject=unsubscribe>,\r\n <https://x.example/unsubscribe.html?opaque=123456789>',
      ),
      field('list-unsubscribe-post', ' List-Unsubscribe=One-Click '),
      signature(both.toLowerCase()),
    ]
    expect(findUnsubscribe(headers, sender('x.example'))).toMatchObject({ kind: 'one-click' })
  })
  const good = field('List-Unsubscribe', '<https://x.example/u>')
  test.each([
    ['no field', [], 'x.example', 'none', undefined],
    ['an empty one', [field('List-Unsubscribe', 'NO')], 'x.example', 'none', undefined],
    // RFC 2369 §3.2's own examples: mail and plain HTTP.
    [
      'mail only',
      [field('List-Unsubscribe', '<mailto:list@x.example?subject=unsubscribe>'), post, signature(both)],
      'x.example',
      'by-hand',
      'no-one-click',
    ],
    [
      'HTTP without S',
      [field('List-Unsubscribe', '<http://x.example/u>'), post, signature(both)],
      'x.example',
      'by-hand',
      'no-one-click',
    ],
    ['without the Post field', [good, signature(both)], 'x.example', 'by-hand', 'no-one-click'],
    [
      'another word in it',
      [good, field('List-Unsubscribe-Post', 'List-Unsubscribe=Two-Clicks'), signature(both)],
      'x.example',
      'by-hand',
      'no-one-click',
    ],
    ['nothing proves the sender', [good, post, signature(both)], null, 'by-hand', 'not-authenticated'],
    [
      'somebody else is proven',
      [good, post, signature(both, 'y.example')],
      'y.example',
      'by-hand',
      'not-authenticated',
    ],
    [
      'the Post field is not signed',
      [good, post, signature('From:List-Unsubscribe')],
      'x.example',
      'by-hand',
      'not-signed',
    ],
    [
      'the signature is of a domain that did not pass',
      [good, post, signature(both, 'z.example')],
      'x.example',
      'by-hand',
      'not-signed',
    ],
  ] as const)('%s', (_, headers, passes, kind, why) => {
    const found = findUnsubscribe(headers, sender(passes))
    expect([found.kind, 'why' in found ? found.why : undefined]).toEqual([kind, why])
  })
})
