import { describe, expect, test } from 'vitest'
import { isEasyToGuess } from '../src/sign-in/easy-passwords.ts'
import { derive, hashPassword, isPassword } from '../src/sign-in/passwords.ts'

describe('scrypt test vectors of RFC 7914 §12', () => {
  test.each([
    [
      '',
      '',
      16,
      1,
      1,
      '77d6576238657b203b19ca42c18a0497f16b4844e3074ae8dfdffa3fede21442fcd0069ded0948f8326a753a0fc81f17e8d3e0fb2e0d3628cf35e20c38d18906',
    ],
    [
      'password',
      'NaCl',
      1024,
      8,
      16,
      'fdbabe1c9d3472007856e7190d01e9fe7c6ad7cbc8237830e77376634b3731622eaf30d92e22a3886ff109279d9830dac727afb94a83ee6d8360cbdfa2cc0640',
    ],
    [
      'pleaseletmein',
      'SodiumChloride',
      16384,
      8,
      1,
      '7023bdcb3afd7348461c06cd81fd38ebfda8fbba904f8e3ea9b543f6545da1f2d5432955613f0fcf62d49705242a9af9e61e85dc0d651e40dfcf017b45575887',
    ],
  ])('%j with salt %j', async (password, salt, N, r, p, want) => {
    expect((await derive(password, salt, 64, { N, r, p })).toString('hex')).toBe(want)
  })
})

test('guessing costs what the server says, not what tests can afford', async () => {
  const file = new URL('../src/sign-in/password-cost.ts', import.meta.url)
  const { passwordCost } = (await import(
    `${file.href}?own`
  )) as typeof import('../src/sign-in/password-cost.ts')
  // 128 · N · r bytes a guess (RFC 7914 §2): 32 MB.
  expect(128 * passwordCost.N * passwordCost.r * passwordCost.p).toBeGreaterThanOrEqual(32 * 1024 * 1024)
})

test('a hash takes its own password and no near miss', async () => {
  const hash = await hashPassword('Fähre um halb acht')
  expect(await isPassword('Fähre um halb acht', hash)).toBe(true)
  // The same word typed with a combining mark: keyboards differ, people mean the same.
  expect(await isPassword('Fa\u0308hre um halb acht', hash)).toBe(true)
  for (const wrong of ['fähre um halb acht', 'Fähre um halb acht ', 'Fahre um halb acht', ''])
    expect(await isPassword(wrong, hash)).toBe(false)
  for (const broken of ['', 'scrypt$', hash.slice(0, -4), hash.replace('scrypt', 'plain')])
    expect(await isPassword('Fähre um halb acht', broken)).toBe(false)
})

test.each<[password: string, easy: boolean]>([
  ['password1234', true],
  ['P4ssw0rd!2026', true],
  ['qwertyuiop123', true],
  ['aaaaaaaaaaaaaaaaaaaa', true],
  ['abcdefghijklmnop', true],
  ['12345678901234', true],
  ['letmeinletmein', true],
  ['HarbourTrust2026', true],
  ['ingrid.solvang', true],
  ['solvang-harbour', true],
  ['correct horse battery staple', false],
  ['lamps over grey water', false],
  ['Fähre um halb acht', false],
  ['x7!pQ2-vv9#Lk', false],
])('%s: easy is %s', async (typed, easy) => {
  expect(await isEasyToGuess(typed, ['Ingrid Solvang', 'ingrid@harbour.example', 'Harbour Trust'])).toBe(easy)
})
