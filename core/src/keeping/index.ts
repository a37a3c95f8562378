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
