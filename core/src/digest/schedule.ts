import { dayOf, daysBefore, momentOf, weekdayOf } from '../calendar/index.ts'

/** When a mailbox gets its digests. */
export interface DigestSchedule {
  /** Local times, 'HH:MM', in order. None: no digests. */
  readonly times: readonly string[]
  /** 1 for Monday to 7 for Sunday (ISO 8601). */
  readonly weekdays: readonly number[]
  /** IANA name. */
  readonly timeZone: string
}

/** The first digest after `after`; `null` when the schedule has none. Epoch ms. */
export function nextDigest({ times, weekdays, timeZone }: DigestSchedule, after: number): number | null {
  if (times.length === 0 || weekdays.length === 0) return null
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
