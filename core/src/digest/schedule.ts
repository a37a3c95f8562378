import { dayOf, daysBefore } from '../keeping/index.ts'

/** When a mailbox gets its digests. */
export interface DigestSchedule {
  /** Local times, 'HH:MM', in order. None: no digests. */
  readonly times: readonly string[]
  /** 1 for Monday to 7 for Sunday (ISO 8601). */
  readonly weekdays: readonly number[]
  /** IANA name. */
  readonly timeZone: string
}

const minute = 60_000
const day = 86_400_000

const formats = new Map<string, Intl.DateTimeFormat>()

/** What a clock on the wall shows, as if it were UTC. Epoch ms. */
function wallClock(time: number, timeZone: string): number {
  const format =
    formats.get(timeZone) ??
    new Intl.DateTimeFormat('en-CA', {
      timeZone,
      hourCycle: 'h23',
      year: 'numeric',
      month: '2-digit',
      day: '2-digit',
      hour: '2-digit',
      minute: '2-digit',
      second: '2-digit',
    })
  formats.set(timeZone, format)
  const part = Object.fromEntries(format.formatToParts(time).map(({ type, value }) => [type, Number(value)]))
  return Date.UTC(
    part.year ?? 0,
    (part.month ?? 1) - 1,
    part.day ?? 1,
    part.hour ?? 0,
    part.minute ?? 0,
    part.second ?? 0,
  )
}

const offsetAt = (time: number, timeZone: string) =>
  wallClock(time, timeZone) - Math.floor(time / 1000) * 1000

/**
 * The moment at which a local clock first shows a time of a day. A time that occurs twice is meant the
 * first time; one that is jumped over is the moment after the jump (domain.md §6).
 */
export function momentOf(date: string, time: string, timeZone: string): number {
  const wanted = Date.parse(`${date}T${time}:00Z`)
  if (Number.isNaN(wanted)) throw new RangeError(`no local time: ${date} ${time}`)
  // No zone is further from UTC than a day, and none changes twice within two.
  const [before, after] = [offsetAt(wanted - day, timeZone), offsetAt(wanted + day, timeZone)]
  const candidates = [wanted - before, wanted - after].filter(at => wallClock(at, timeZone) === wanted)
  if (candidates.length > 0) return Math.min(...candidates)
  return changeBetween(wanted - Math.max(before, after), wanted - Math.min(before, after), timeZone)
}

/** The first minute with the later offset; zones change at whole minutes. */
function changeBetween(from: number, until: number, timeZone: string): number {
  let low = Math.floor(from / minute) - 1
  let high = Math.ceil(until / minute) + 1
  const later = offsetAt(high * minute, timeZone)
  while (high - low > 1) {
    const middle = Math.floor((low + high) / 2)
    if (offsetAt(middle * minute, timeZone) === later) high = middle
    else low = middle
  }
  return high * minute
}

function weekdayOf(date: string): number {
  return ((new Date(`${date}T00:00:00Z`).getUTCDay() + 6) % 7) + 1
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
