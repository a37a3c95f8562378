import { existsSync, readFileSync } from 'node:fs'
import { describe, expect, test } from 'vitest'
import {
  covers,
  displayDomain,
  findOrganisationalDomain,
  isSameOrganisation,
  parseDomain,
} from '@pendro/core/address'

// publicsuffix.org's own vectors, as packaged by Debian (publicsuffix, examples/test_psl.txt); `npm test`
// unpacks the package beside the data folder and names the file here.
const vectors = process.env.PENDRO_TEST_PSL ?? ''

describe.skipIf(!existsSync(vectors))(
  'public suffix vectors (skipped without the Debian package publicsuffix)',
  () => {
    const lines = existsSync(vectors) ? readFileSync(vectors, 'utf8').split('\n') : []
    const cases = lines.flatMap(line => {
      const match = /^checkPublicSuffix\(('([^']*)'|null), ('([^']*)'|null)\);/.exec(line)
      return match ? [[match[2] ?? null, match[4] ?? null] as const] : []
    })
    test('the file was read', () => expect(cases.length).toBeGreaterThan(60))
    test.each(cases)('%s → %s', (input, want) => {
      const domain = parseDomain(input ?? '')
      const wanted = want === null ? null : parseDomain(want)
      const found = domain.ok ? findOrganisationalDomain(domain.value) : null
      expect(found).toBe(wanted?.ok ? wanted.value : null)
    })
  },
)

describe('label boundaries', () => {
  test.each([
    ['x.example', 'x.example', true],
    ['x.example', 'a.x.example', true],
    ['x.example', 'ax.example', false],
    ['x.example', 'x.example.test', false],
    ['a.x.example', 'x.example', false],
  ])('%s covers %s: %s', (domain, host, want) => expect(covers(domain, host)).toBe(want))
  test.each([
    ['a.x.co.uk', 'b.x.co.uk', true],
    ['x.co.uk', 'y.co.uk', false],
    ['co.uk', 'co.uk', true],
    ['a.co.uk', 'co.uk', false],
  ])('%s and %s of one organisation: %s', (a, b, want) => expect(isSameOrganisation(a, b)).toBe(want))
})

describe('IDNA', () => {
  // RFC 3492 §7.1 (F) Hebrew is longer than a label may be written here; (L) and (S) are samples of it.
  test.each([
    ['bücher.example', 'xn--bcher-kva.example'],
    ['BÜCHER.example.', 'xn--bcher-kva.example'],
    ['3年b組金八先生.example', 'xn--3b-ww4c5e180e575a65lsy2b.example'],
    ['faß.example', 'xn--fa-hia.example'],
  ])('%s is %s', (unicode, ascii) => {
    expect(parseDomain(unicode)).toEqual({ ok: true, value: ascii })
    expect(parseDomain(ascii)).toEqual({ ok: true, value: ascii })
    expect(displayDomain(ascii)).toBe(unicode.toLowerCase().replace(/\.$/, ''))
  })
  test.each([
    'a..example',
    '-a.example',
    'a b.example',
    'x_y.example',
    `${'a'.repeat(64)}.example`,
    'xn--zzzzzz-9.example',
  ])('%s is refused', text =>
    expect(parseDomain(text)).toMatchObject({ ok: false, problem: { code: 'bad-domain' } }),
  )
  test.each(['[192.0.2.1]', '192.0.2.1', '[IPv6:2001:db8::1]'])('%s is an address literal, no domain', text =>
    expect(parseDomain(text)).toMatchObject({ ok: false, problem: { code: 'ip-literal' } }),
  )
})
