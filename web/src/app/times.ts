import { useTranslation } from 'react-i18next'

const day = 86_400_000

/** 'en' alone would give American dates and a twelve-hour clock. */
const localeOf = (language: string) => (language === 'en' ? 'en-GB' : language)

const dayNumber = (date: Date) => Math.floor((date.getTime() - date.getTimezoneOffset() * 60_000) / day)

/** Dates and times in the staffer's own zone and language. */
export function useTimes() {
  const { i18n, t } = useTranslation()
  const locale = localeOf(i18n.language)
  const format = (options: Intl.DateTimeFormatOptions) => new Intl.DateTimeFormat(locale, options)
  return {
    /** 'Tue 08:12' within a week, else '14 Nov 08:12'. */
    short(iso: string, now = Date.now()): string {
      const date = new Date(iso)
      const near = Math.abs(now - date.getTime()) < 6 * day
      return format({
        ...(near ? { weekday: 'short' } : { day: 'numeric', month: 'short' }),
        hour: '2-digit',
        minute: '2-digit',
        hourCycle: 'h23',
      })
        .format(date)
        .replace(',', '')
    },
    /** 'Tue 24 Nov 08:12' */
    full(iso: string): string {
      return format({
        weekday: 'short',
        day: 'numeric',
        month: 'short',
        hour: '2-digit',
        minute: '2-digit',
        hourCycle: 'h23',
      })
        .format(new Date(iso))
        .replaceAll(',', '')
    },
    clock(iso: string): string {
      return format({ hour: '2-digit', minute: '2-digit', hourCycle: 'h23' }).format(new Date(iso))
    },
    /** '6 December' */
    day(iso: string): string {
      return format({ day: 'numeric', month: 'long' }).format(new Date(iso))
    },
    /** 'today', 'yesterday' or 'Monday 23 November' */
    dayHeading(iso: string, now = new Date()): string {
      const date = new Date(iso)
      const back = dayNumber(now) - dayNumber(date)
      if (back === 0) return t('times.today')
      if (back === 1) return t('times.yesterday')
      return format({ weekday: 'long', day: 'numeric', month: 'long' }).format(date)
    },
    /** In the colleague's own zone, for the hover. */
    inZone(iso: string, timeZone: string): string {
      return `${format({ weekday: 'short', day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit', hourCycle: 'h23', timeZone }).format(new Date(iso)).replaceAll(',', '')} (${timeZone})`
    },
    /** Whole days from now until the moment; negative when it has passed. */
    daysLeft(iso: string, now = Date.now()): number {
      return Math.ceil((Date.parse(iso) - now) / day)
    },
    isoDay(date: Date): string {
      return new Date(date.getTime() - date.getTimezoneOffset() * 60_000).toISOString().slice(0, 10)
    },
  }
}

export function useNumbers() {
  const { i18n } = useTranslation()
  const format = new Intl.NumberFormat(localeOf(i18n.language))
  const size = (bytes: number) =>
    bytes < 1000
      ? `${bytes} B`
      : bytes < 1_000_000
        ? `${Math.round(bytes / 1000)} kB`
        : `${format.format(Math.round(bytes / 100_000) / 10)} MB`
  return { number: (n: number) => format.format(n), size }
}
