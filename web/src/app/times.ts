import { create } from 'zustand'
import { useTranslation } from 'react-i18next'
import { dateFormat, numberFormat } from './formats.ts'

const day = 86_400_000

/** The zone all times on the screen are of: the organisation's for staffers, the colleague's own on their pages. */
export const useZone = create<{ readonly zone: string | undefined }>(() => ({ zone: undefined }))

/** Whether a clock in the zone shows another time than the one on this device. */
export function isForeign(zone: string | undefined, now = new Date()): boolean {
  const clock = (timeZone?: string) =>
    dateFormat('en-GB', { dateStyle: 'short', timeStyle: 'short', timeZone }).format(now)
  return zone !== undefined && clock(zone) !== clock()
}

/** 'en' alone would give American dates and a twelve-hour clock. */
const localeOf = (language: string) => (language === 'en' ? 'en-GB' : language)

/** 'YYYY-MM-DD' of a moment; Swedish dates have that form. */
export const isoDayIn = (date: Date, timeZone: string | undefined): string =>
  dateFormat('sv-SE', { year: 'numeric', month: '2-digit', day: '2-digit', timeZone }).format(date)

const dayNumber = (date: Date, zone: string | undefined) => Date.parse(isoDayIn(date, zone)) / day
/** Weeks begin on Monday (ISO 8601); day 0 was a Thursday. */
const weekNumber = (dayNo: number) => Math.floor((dayNo + 3) / 7)

const clock = { hour: '2-digit', minute: '2-digit', hourCycle: 'h23' } as const
const whole = { weekday: 'short', day: 'numeric', month: 'short', ...clock } as const

/** Dates and times in one zone, the organisation's, and the staffer's language. */
export function useTimes() {
  const { i18n, t } = useTranslation()
  const zone = useZone(state => state.zone)
  const locale = localeOf(i18n.language)
  const format = (options: Intl.DateTimeFormatOptions) => dateFormat(locale, { timeZone: zone, ...options })
  return {
    /** 'Tue 08:12' within a week, 'Mon 30 Nov 08:12' where that is of next week, else '14 Nov 08:12'. */
    short(iso: string, now = Date.now()): string {
      const date = new Date(iso)
      const near = Math.abs(now - date.getTime()) < 6 * day
      const [today, its] = [dayNumber(new Date(now), zone), dayNumber(date, zone)]
      return format({
        ...(near ? { weekday: 'short' } : {}),
        ...(near && weekNumber(its) <= weekNumber(today) ? {} : { day: 'numeric', month: 'short' }),
        ...clock,
      })
        .format(date)
        .replaceAll(',', '')
    },
    /** 'Tue 24 Nov 08:12', with the zone where this device's clock shows another time. */
    full(iso: string): string {
      const date = new Date(iso)
      const text = format(whole).format(date).replaceAll(',', '')
      return isForeign(zone, date) ? `${text} (${zone})` : text
    },
    clock(iso: string): string {
      return format(clock).format(new Date(iso))
    },
    /** '6 December' */
    day(iso: string): string {
      return format({ day: 'numeric', month: 'long' }).format(new Date(iso))
    },
    /** 'today', 'yesterday' or 'Monday 23 November' */
    dayHeading(iso: string, now = new Date()): string {
      const date = new Date(iso)
      const back = dayNumber(now, zone) - dayNumber(date, zone)
      if (back === 0) return t('times.today')
      if (back === 1) return t('times.yesterday')
      return format({ weekday: 'long', day: 'numeric', month: 'long' }).format(date)
    },
    /** In the colleague's own zone, for the hover. */
    inZone(iso: string, timeZone: string): string {
      return `${format({ ...whole, timeZone })
        .format(new Date(iso))
        .replaceAll(',', '')} (${timeZone})`
    },
    /** Whole days from now until the moment; negative when it has passed. */
    daysLeft(iso: string, now = Date.now()): number {
      return Math.ceil((Date.parse(iso) - now) / day)
    },
    isoDay: (date: Date): string => isoDayIn(date, zone),
  }
}

export function useNumbers() {
  const { i18n } = useTranslation()
  const format = numberFormat(localeOf(i18n.language))
  const size = (bytes: number) =>
    bytes < 1000
      ? `${bytes} B`
      : bytes < 1_000_000
        ? `${Math.round(bytes / 1000)} kB`
        : `${format.format(Math.round(bytes / 100_000) / 10)} MB`
  return { number: (n: number) => format.format(n), size }
}
