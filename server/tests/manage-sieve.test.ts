import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { StoreError } from '../src/stores/imap.ts'
import { readLine } from '../src/stores/manage-sieve.ts'

const read = (text: string) => readLine(Buffer.from(text))
const values = (text: string) => read(text)?.tokens.map(({ value }) => value)

describe('answers of a ManageSieve server (RFC 5804 §4)', () => {
  // After the examples of these sections of RFC 5804 (from memory).
  test.each<[section: string, line: string, want: readonly string[]]>([
    [
      '1.7',
      '"IMPLEMENTATION" "Example1 ManageSieved v001"\r\n',
      ['IMPLEMENTATION', 'Example1 ManageSieved v001'],
    ],
    ['1.7', '"STARTTLS"\r\n', ['STARTTLS']],
    [
      '1.3',
      'NO (QUOTA/MAXSCRIPTS) "You can only have 3 scripts"\r\n',
      ['NO', 'QUOTA/MAXSCRIPTS', 'You can only have 3 scripts'],
    ],
    ['1.3', 'BYE (TRYLATER) "Too many"\r\n', ['BYE', 'TRYLATER', 'Too many']],
    [
      '1.3',
      'BYE (REFERRAL "sieve://sieve.example.com") "Try there"\r\n',
      ['BYE', 'REFERRAL sieve://sieve.example.com', 'Try there'],
    ],
    ['2.13', 'OK (TAG {16}\r\nSTARTTLS-SYNC-42) "Done"\r\n', ['OK', 'TAG STARTTLS-SYNC-42', 'Done']],
    ['2.1', 'OK (SASL "cnNwYXV0aD1lYTQwZjYw")\r\n', ['OK', 'SASL cnNwYXV0aD1lYTQwZjYw']],
    ['2.6', 'NO {21}\r\nline 2: Syntax\r\nerror\r\n', ['NO', 'line 2: Syntax\r\nerror']],
    ['2.7', '"summer_script"\r\n', ['summer_script']],
    ['2.7', '{13}\r\nclever"script\r\n', ['clever"script']],
    ['2.7', '"main_script" ACTIVE\r\n', ['main_script', 'ACTIVE']],
    ['2.9', '{30}\r\n#this is my wonderful script\r\n\r\n', ['#this is my wonderful script\r\n']],
    ['4', 'OK\r\n', ['OK']],
    ['4', '\r\n', []],
  ])('§%s: %j', (_, line, want) => {
    expect(values(line)).toEqual(want)
    expect(read(line)?.length).toBe(Buffer.byteLength(line))
  })

  test.each([
    ['a literal without a length', '{x}\r\n'],
    ['a literal of a terabyte', '{999999999999}\r\nx'],
    ['a literal longer than anything kept', '{9999999}\r\nx'],
    ['a text that does not end on its line', '"no end\r\nOK\r\n'],
    ['a list that does not end', 'OK (QUOTA "x"\r\n'],
    ['a code in a code', 'OK (A (B)) "x"\r\n'],
    ['a text of 10,000 letters', `"${'a'.repeat(10_000)}`],
    ['a word of 10,000 letters', 'a'.repeat(10_000)],
  ])('%s is nonsense', (_, text) => expect(() => read(text)).toThrow(StoreError))

  test('whatever is said, it reads the same however it is cut into parts', () => {
    const text = fc.string({ unit: fc.constantFrom(...'aø"\\ {}()\r\n1') })
    const told = fc.oneof(
      fc
        .constantFrom('OK', 'NO', 'ACTIVE', '(QUOTA/MAXSIZE)')
        .map(wire => ({ wire, value: wire.replace(/[()]/g, '') })),
      text.map(value => ({ wire: `{${Buffer.byteLength(value)}}\r\n${value}`, value })),
      text
        .map(value => value.replace(/[\r\n]/g, ''))
        .map(value => ({ wire: `"${value.replace(/[\\"]/g, '\\$&')}"`, value })),
    )
    fc.assert(
      fc.property(fc.array(told, { minLength: 1, maxLength: 4 }), fc.string(), (all, after) => {
        const line = Buffer.from(`${all.map(({ wire }) => wire).join(' ')}\r\n`)
        // Nothing is taken before it is whole …
        for (let end = 0; end < line.length; end++) expect(readLine(line.subarray(0, end))).toBeNull()
        // … and nothing of what follows.
        const found = readLine(Buffer.concat([line, Buffer.from(after)]))
        expect(found?.length).toBe(line.length)
        expect(found?.tokens.map(({ value }) => value)).toEqual(all.map(({ value }) => value))
      }),
    )
  })
})
