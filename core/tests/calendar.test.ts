import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { dayOf, daysBefore, startOfDay } from '@pendro/core/calendar'

const hour = 3_600_000
const iso = (time: number) => new Date(time).toISOString()

describe('days of a calendar', () => {
  test.each([
    // A moment, a zone and its day there; offsets by the tz database.
    ['2026-11-24T04:59:00Z', 'America/New_York', '2026-11-23'],
    ['2026-11-24T05:00:00Z', 'America/New_York', '2026-11-24'],
    ['2026-11-24T10:59:00Z', 'Pacific/Pago_Pago', '2026-11-23'],
    ['2026-11-24T11:00:00Z', 'Pacific/Pago_Pago', '2026-11-24'],
    ['2026-11-24T09:59:00Z', 'Pacific/Kiritimati', '2026-11-24'],
    ['2026-11-24T10:00:00Z', 'Pacific/Kiritimati', '2026-11-25'],
    ['2026-11-24T22:59:59Z', 'Europe/Oslo', '2026-11-24'],
    ['2026-11-24T23:00:00Z', 'Europe/Oslo', '2026-11-25'],
  ])('%s in %s is %s', (at, zone, day) => expect(dayOf(Date.parse(at), zone)).toBe(day))

  test.each([
    ['2026-11-24', 'UTC', '2026-11-24T00:00:00.000Z'],
    ['2026-11-24', 'America/New_York', '2026-11-24T05:00:00.000Z'],
    ['2026-07-24', 'America/New_York', '2026-07-24T04:00:00.000Z'],
    ['2026-11-24', 'Pacific/Pago_Pago', '2026-11-24T11:00:00.000Z'],
    ['2026-11-24', 'Pacific/Kiritimati', '2026-11-23T10:00:00.000Z'],
    // Clocks went from 24:00 of the third to 01:00 of the fourth: the day has no midnight.
    ['2018-11-04', 'America/Sao_Paulo', '2018-11-04T03:00:00.000Z'],
  ])('%s in %s begins at %s', (day, zone, at) => expect(iso(startOfDay(day, zone))).toBe(at))

  const zone = fc.constantFrom(
    'UTC',
    'Europe/Oslo',
    'America/St_Johns',
    'Pacific/Pago_Pago',
    'Pacific/Kiritimati',
    'Asia/Kathmandu',
    'America/Los_Angeles',
  )
  test('property: a day begins at its first moment', () => {
    fc.assert(
      fc.property(
        zone,
        fc.integer({ min: Date.UTC(2024, 0, 1), max: Date.UTC(2035, 0, 1) }),
        (timeZone, at) => {
          const day = dayOf(at, timeZone)
          const start = startOfDay(day, timeZone)
          expect(start).toBeLessThanOrEqual(at)
          expect(dayOf(start, timeZone)).toBe(day)
          expect(dayOf(start - 1, timeZone)).toBe(daysBefore(day, 1))
          expect(at - start).toBeLessThan(26 * hour)
        },
      ),
    )
  })

  test('days before and after, over months and leap days', () => {
    expect(daysBefore('2026-03-01', 1)).toBe('2026-02-28')
    expect(daysBefore('2028-03-01', 1)).toBe('2028-02-29')
    expect(daysBefore('2026-12-31', -1)).toBe('2027-01-01')
    expect(daysBefore('2026-11-24', 0)).toBe('2026-11-24')
  })
})
