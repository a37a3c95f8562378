const day = 86_400_000

/** When kept-back mail goes away: `keepDays` after it was received (domain.md §7). Epoch ms. */
export function expiryOf(receivedAt: number, keepDays: number): number {
  return receivedAt + keepDays * day
}

const formats = new Map<string, Intl.DateTimeFormat>()

/** The calendar day 'YYYY-MM-DD' of a moment in a time zone (IANA name). */
export function dayOf(time: number, timeZone: string): string {
  let format = formats.get(timeZone)
  if (!format) {
    format = new Intl.DateTimeFormat('en-CA', { timeZone, year: 'numeric', month: '2-digit', day: '2-digit' })
    formats.set(timeZone, format)
  }
  return format.format(time)
}

/** `days` calendar days before `date` ('YYYY-MM-DD'). */
export function daysBefore(date: string, days: number): string {
  return new Date(Date.parse(`${date}T00:00:00Z`) - days * day).toISOString().slice(0, 10)
}

/** Epoch ms at which a calendar day begins in a zone; where midnight is skipped, the first moment after. */
export function startOfDay(date: string, timeZone: string): number {
  // The zone is at most 14 h ahead of and 12 h behind UTC; the day begins somewhere in that span.
  const midnight = Date.parse(`${date}T00:00:00Z`)
  let low = midnight - 15 * 3_600_000
  let high = midnight + 13 * 3_600_000
  while (high - low > 1) {
    const middle = Math.floor((low + high) / 2)
    if (dayOf(middle, timeZone) < date) low = middle
    else high = middle
  }
  return high
}
