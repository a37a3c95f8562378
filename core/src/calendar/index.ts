import { Temporal } from 'temporal-polyfill'

const zoned = (time: number, timeZone: string) =>
  Temporal.Instant.fromEpochMilliseconds(time).toZonedDateTimeISO(timeZone)

/** The calendar day 'YYYY-MM-DD' of a moment (epoch ms) in a time zone (IANA name). @throws {RangeError} for a zone nobody knows. */
export function dayOf(time: number, timeZone: string): string {
  return zoned(Math.floor(time), timeZone).toPlainDate().toString()
}

/** `days` calendar days before `date` ('YYYY-MM-DD'); below 0 for days after. */
export function daysBefore(date: string, days: number): string {
  return Temporal.PlainDate.from(date).subtract({ days }).toString()
}

/** 1 for Monday to 7 for Sunday (ISO 8601) of a calendar day. */
export function weekdayOf(date: string): number {
  return Temporal.PlainDate.from(date).dayOfWeek
}

/** Epoch ms at which a calendar day begins in a zone; where midnight is skipped, the first moment after. */
export function startOfDay(date: string, timeZone: string): number {
  return Temporal.PlainDate.from(date).toZonedDateTime(timeZone).epochMilliseconds
}

/**
 * The moment (epoch ms) at which a local clock first shows a time 'HH:MM' of a day. A time that occurs twice is meant the
 * first time; one that is jumped over is the moment after the jump (domain.md §6). @throws {RangeError} for no time of a clock.
 */
export function momentOf(date: string, time: string, timeZone: string): number {
  const wanted = Temporal.PlainDateTime.from(`${date}T${time}`)
  const shown = wanted.toZonedDateTime(timeZone, { disambiguation: 'earlier' })
  if (shown.toPlainDateTime().equals(wanted)) return shown.epochMilliseconds
  // Jumped over: 'earlier' is a moment before the jump.
  return (shown.getTimeZoneTransition('next') ?? shown).epochMilliseconds
}

/** What has been asked before: finding it out takes a tenth of a millisecond, and a directory asks for everybody. */
const asked = new Map<string, boolean>()
/** More than there are zones; whoever asks for others fills no memory. */
const mostAsked = 1000

/** Whether a text is a time zone that this machine knows (IANA). */
export function isTimeZone(text: string): boolean {
  // The longest name there is has 32 characters.
  if (text.length > 100) return false
  const before = asked.get(text)
  if (before !== undefined) return before
  if (asked.size >= mostAsked) asked.clear()
  const found = isKnownZone(text)
  asked.set(text, found)
  return found
}

function isKnownZone(text: string): boolean {
  if (text === '') return false
  try {
    new Intl.DateTimeFormat('en', { timeZone: text })
    return true
  } catch {
    return false
  }
}
