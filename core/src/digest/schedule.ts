import { backAt, isAway, type AwayTime } from '../keeping/index.ts'
import { dayOf, daysBefore, momentOf, weekdayOf } from '../calendar/index.ts'

/** When a mailbox gets its digests. */
export interface DigestSchedule {
  /** Local times, 'HH:MM', in order. None: no digests. */
  readonly times: readonly string[]
  /** 1 for Monday to 7 for Sunday (ISO 8601). */
  readonly weekdays: readonly number[]
  /** IANA name. */
  readonly timeZone: string
  /** Times away in which digests wait; the first after them tells all that came. */
  readonly waits?: readonly AwayTime[]
}

/** The first digest after `after`; `null` when the schedule has none. Epoch ms. */
export function nextDigest(schedule: DigestSchedule, after: number): number | null {
  if (schedule.times.length === 0 || schedule.weekdays.length === 0) return null
  const { waits = [] } = schedule
  let next = nextMoment(schedule, after)
  // The moment of the return counts: a digest that is due then is the first.
  while (isAway(waits, next)) next = nextMoment(schedule, backAt(waits, next) - 1)
  return next
}

function nextMoment({ times, weekdays, timeZone }: DigestSchedule, after: number): number {
  let date = daysBefore(dayOf(after, timeZone), 1)
  for (let i = 0; i < 10; i += 1, date = daysBefore(date, -1)) {
    if (!weekdays.includes(weekdayOf(date))) continue
    const moments = times.map(time => momentOf(date, time, timeZone)).filter(at => at > after)
    if (moments.length > 0) return Math.min(...moments)
  }
  throw new Error(`no digest found within ten days in ${timeZone}`)
}

/** The last digest that was due by `now`; `null` when there was none within ten days. Epoch ms. */
export function lastDigest({ times, weekdays, timeZone }: DigestSchedule, now: number): number | null {
  let date = daysBefore(dayOf(now, timeZone), -1)
  for (let i = 0; i < 11; i += 1, date = daysBefore(date, 1)) {
    if (!weekdays.includes(weekdayOf(date))) continue
    const moments = times.map(time => momentOf(date, time, timeZone)).filter(at => at <= now)
    if (moments.length > 0) return Math.max(...moments)
  }
  return null
}
