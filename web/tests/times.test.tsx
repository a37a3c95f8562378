// @vitest-environment happy-dom
import { renderHook } from '@testing-library/react'
import { beforeAll, describe, expect, test } from 'vitest'
import { startI18n } from '../src/app/i18n.ts'
import { isForeign, useTimes, useZone } from '../src/app/times.ts'

beforeAll(() => startI18n())

const at = (zone: string) => {
  useZone.setState({ zone })
  return renderHook(() => useTimes()).result.current
}
const saturday = Date.parse('2026-11-28T09:00:00Z')

describe('a moment in short', () => {
  test.each([
    ['2026-11-28T05:00:00Z', 'Sat 06:00', 'the same day'],
    ['2026-11-24T05:00:00Z', 'Tue 06:00', 'this week, gone by'],
    ['2026-11-29T05:00:00Z', 'Sun 06:00', 'this week, to come'],
    ['2026-11-30T05:00:00Z', 'Mon 30 Nov 06:00', 'next week says which'],
    ['2026-11-14T05:00:00Z', '14 Nov 06:00', 'longer ago'],
    ['2026-12-14T05:00:00Z', '14 Dec 06:00', 'in a while'],
  ])('%s is %s: %s', (iso, text) => expect(at('Europe/Oslo').short(iso, saturday)).toBe(text))
})

test('all times are of one zone, which is named where this device’s clock shows another', () => {
  const iso = '2026-11-28T23:30:00Z'
  const here = Intl.DateTimeFormat().resolvedOptions().timeZone
  const tokyo = at('Asia/Tokyo')
  expect(tokyo.clock(iso)).toBe('08:30')
  expect(tokyo.isoDay(new Date(iso))).toBe('2026-11-29')
  expect(tokyo.day(iso)).toBe('29 November')
  expect(tokyo.dayHeading(iso, new Date('2026-11-29T20:00:00Z'))).toBe('yesterday')
  expect(tokyo.full(iso)).toBe('Sun 29 Nov 08:30 (Asia/Tokyo)')
  expect(at(here).full(iso)).not.toContain('(')
  expect([isForeign('Asia/Tokyo'), isForeign(here), isForeign(undefined)]).toEqual([true, false, false])
})
