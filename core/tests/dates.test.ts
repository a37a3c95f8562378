import { spawnSync } from 'node:child_process'
import fc from 'fast-check'
import { describe, expect, test } from 'vitest'
import { readDate } from '@pendro/core/message'

const at = (iso: string) => Date.parse(iso)

describe('Date fields (RFC 5322 §3.3 and §4.3)', () => {
  test.each([
    // Years of two and three digits: §4.3.
    ['1 Jan 49 00:00 +0000', '2049-01-01T00:00:00Z'],
    ['1 Jan 50 00:00 +0000', '1950-01-01T00:00:00Z'],
    ['1 Jan 00 00:00 +0000', '2000-01-01T00:00:00Z'],
    ['1 Jan 123 00:00 +0000', '2023-01-01T00:00:00Z'],
    ['1 Jan 2049 00:00 +0000', '2049-01-01T00:00:00Z'],
    // Comments and white space anywhere between.
    ['Fri(day), 21 Nov 1997 (a date) 09 : 55 : 06 -0600', '1997-11-21T15:55:06Z'],
    ['Fri,21 Nov 1997 09:55:06 -0600', '1997-11-21T15:55:06Z'],
    ['Friday, 21 November 1997 09:55 -0600', '1997-11-21T15:55:00Z'],
    // As some programs write.
    ['Fri. 21 Nov 1997 09:55:06 -06:00', '1997-11-21T15:55:06Z'],
    ['21-Nov-97 09:55:06.25 -0600', '1997-11-21T15:55:06Z'],
    ['21 Nov 1997 09:55:06-0600', '1997-11-21T15:55:06Z'],
    ['1997-11-21T09:55:06-06:00', '1997-11-21T15:55:06Z'],
    ['1997-11-21T15:55:06Z', '1997-11-21T15:55:06Z'],
    ['1997-11-21 15:55:06', '1997-11-21T15:55:06Z'],
    ['Fri Nov 21 15:55:06 1997', '1997-11-21T15:55:06Z'],
    ['Fri Nov 21 1997 15:55:06 EST', '1997-11-21T20:55:06Z'],
    ['1 Jan 2026', '2026-01-01T00:00:00Z'],
    // No zone, and letters nobody knows the meaning of, count as UTC.
    ['21 Nov 1997 09:55:06', '1997-11-21T09:55:06Z'],
    ['21 Nov 1997 09:55:06 A', '1997-11-21T09:55:06Z'],
    ['21 Nov 1997 09:55:06 QQQ', '1997-11-21T09:55:06Z'],
    // The ends of what is a time.
    ['21 Nov 1997 23:59:60 +0000', '1997-11-22T00:00:00Z'],
    ['21 Nov 1997 24:00:00 +0000', '1997-11-22T00:00:00Z'],
    ['29 Feb 2028 12:00 +0000', '2028-02-29T12:00:00Z'],
    ['21 Nov 1997 00:30 +0545', '1997-11-20T18:45:00Z'],
    ['21 Nov 1997 00:30 -0330', '1997-11-21T04:00:00Z'],
  ])('%s', (text, iso) => expect(readDate(text)).toBe(at(iso)))

  test.each([
    '',
    'yesterday',
    '30 Feb 2026 12:00 +0000',
    '32 Jan 2026 12:00 +0000',
    '0 Jan 2026 12:00 +0000',
    '1 Foo 2026 12:00 +0000',
    '1 Jan 2026 25:00 +0000',
    '1 Jan 2026 12:60 +0000',
    '1 Jan 2026 12:00:61 +0000',
    `${'1'.repeat(70)} 2026`,
    'at five',
  ])('%j is none', text => expect(readDate(text)).toBeNull())
  test('nothing is none', () => expect(readDate(null)).toBeNull())

  // Hours east as the zone database has these names in use (common practice; RFC 5322 defines the American ones).
  test.each([
    ['UT', 0],
    ['UTC', 0],
    ['GMT', 0],
    ['Z', 0],
    ['bst', 1],
    ['WET', 0],
    ['WEST', 1],
    ['CET', 1],
    ['MET', 1],
    ['CEST', 2],
    ['MEST', 2],
    ['EET', 2],
    ['EEST', 3],
    ['MSK', 3],
    ['JST', 9],
    ['KST', 9],
    ['AEST', 10],
    ['AEDT', 11],
  ])('%s', (zone, hours) =>
    expect(readDate(`21 Nov 1997 12:00:00 ${zone}`)).toBe(at('1997-11-21T12:00:00Z') - hours * 3_600_000),
  )
})

// Python's email.utils, a reader we did not write. Where it gives no time at all nothing is compared.
const python = `import sys, json
from email.utils import parsedate_tz, mktime_tz
out = []
for line in json.load(sys.stdin):
    read = parsedate_tz(line)
    out.append(None if read is None else mktime_tz(read) * 1000)
print(json.dumps(out))`
const havePython = spawnSync('python3', ['--version']).status === 0

describe.skipIf(!havePython)('agrees with Python email.utils (skipped where python3 is missing)', () => {
  test('about three hundred dates in the forms that programs write', () => {
    const two = (n: number) => String(n).padStart(2, '0')
    const date = fc
      .record({
        time: fc.integer({ min: at('1970-01-02T00:00:00Z'), max: at('2049-12-30T00:00:00Z') }),
        weekday: fc.boolean(),
        seconds: fc.boolean(),
        comment: fc.boolean(),
        zone: fc.constantFrom(
          ...'+0000 -0000 +0130 -0930 +1300 UT GMT EST EDT CST CDT MST MDT PST PDT'.split(' '),
        ),
      })
      .map(({ time, weekday, seconds, comment, zone }) => {
        const day = new Date(time)
        const [name, number, month, year] = day.toUTCString().split(/,? /)
        const clock = [day.getUTCHours(), day.getUTCMinutes(), ...(seconds ? [day.getUTCSeconds()] : [])]
        const start = weekday ? `${name}, ` : ''
        return `${start}${Number(number)} ${month} ${year} ${clock.map(two).join(':')} ${zone}${comment ? ' (of a kind)' : ''}`
      })
    const dates = fc.sample(date, { numRuns: 300, seed: 7 })
    const run = spawnSync('python3', ['-c', python], { input: JSON.stringify(dates), encoding: 'utf8' })
    const theirs = JSON.parse(run.stdout) as (number | null)[]
    expect(theirs.filter(time => time !== null).length).toBeGreaterThan(290)
    expect(dates.map((text, i) => [text, theirs[i] === null ? null : readDate(text)])).toEqual(
      dates.map((text, i) => [text, theirs[i]]),
    )
  })
})
