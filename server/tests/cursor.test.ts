import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { cursorText, readCursor, readTimeCursor } from '../src/db/cursor.ts'

const bad = expect.objectContaining({ code: 'BAD_CURSOR' })

describe('a place in a list', () => {
  test('comes back as it was given out, whatever the list is ordered by', () => {
    fc.assert(
      fc.property(fc.string({ maxLength: 300, unit: 'binary' }), fc.nat(), (key, id) => {
        fc.pre(key.isWellFormed())
        expect(readCursor(cursorText(key, id))).toEqual({ key, id })
      }),
    )
    const time = new Date('2026-03-29T01:30:00.123Z')
    expect(readTimeCursor(cursorText(time, 7))).toEqual({ time, id: 7 })
  })

  test('none is the beginning', () => {
    expect(readCursor(undefined)).toBeNull()
    expect(readTimeCursor(undefined)).toBeNull()
  })

  test('any other text is refused as such and nothing else happens', () => {
    fc.assert(
      fc.property(
        fc.oneof(
          fc.string(),
          fc.json().map(text => Buffer.from(text).toString('base64url')),
        ),
        text => {
          try {
            expect(readCursor(text)).toMatchObject({
              id: expect.any(Number) as number,
              key: expect.any(String) as string,
            })
          } catch (error) {
            expect(error).toEqual(bad)
          }
        },
      ),
    )
    for (const value of [['a', -1], ['a', 1.5], ['a'], ['a', 1, 2], [1, 1], ['x'.repeat(700), 1]])
      expect(() => readCursor(Buffer.from(JSON.stringify(value)).toString('base64url'))).toThrow(bad)
    expect(() => readTimeCursor(cursorText('noon', 1))).toThrow(bad)
    expect(() => readTimeCursor(cursorText('9e99', 1))).toThrow(bad)
  })
})
