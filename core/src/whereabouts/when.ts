import { dayOf, daysBefore, startOfDay } from '../keeping/index.ts'
import { no, yes, type Parsed } from '../address/index.ts'
import { momentOf } from '../digest/schedule.ts'
import { fold } from './fold.ts'

/** From and to in epoch ms, `to` left out. */
export interface TimeRange {
  readonly from: number
  readonly to: number
}

export type WhenProblem =
  | { readonly code: 'not-understood'; readonly text: string }
  /** Such as 31 February. */
  | { readonly code: 'no-such-day'; readonly text: string }
  | { readonly code: 'in-the-future'; readonly text: string }

const list = (text: string) => text.split(' ')
/** Folded words of English, Norwegian, German and Polish. */
const months: readonly (readonly string[])[] = [
  list('january jan januar styczen stycznia'),
  list('february feb februar luty lutego'),
  list('march mar mars marz marzec marca'),
  list('april apr kwiecien kwietnia'),
  list('may mai maj maja'),
  list('june jun juni czerwiec czerwca'),
  list('july jul juli lipiec lipca'),
  list('august aug sierpien sierpnia'),
  list('september sep sept wrzesien wrzesnia'),
  list('october oct okt oktober pazdziernik pazdziernika'),
  list('november nov listopad listopada'),
  list('december dec des dez desember dezember grudzien grudnia'),
]
const weekdays: readonly (readonly string[])[] = [
  list('monday mon mandag montag poniedzialek'),
  list('tuesday tue tues tirsdag dienstag wtorek'),
  list('wednesday wed onsdag mittwoch sroda srode'),
  list('thursday thu thur thurs torsdag donnerstag czwartek'),
  list('friday fri fredag freitag piatek'),
  list('saturday sat lordag samstag sonnabend sobota sobote'),
  list('sunday sun sondag sonntag niedziela niedziele'),
]
const dayWords: Readonly<Record<string, number>> = {
  ...Object.fromEntries(list('today now heute dzis dzisiaj').map(word => [word, 0])),
  ...Object.fromEntries(list('yesterday gestern wczoraj').map(word => [word, 1])),
  ...Object.fromEntries(list('vorgestern przedwczoraj').map(word => [word, 2])),
}
/** Local hours, the last left out. Wide, since people remember roughly. */
const dayParts: Readonly<Record<string, readonly [number, number]>> = {
  ...Object.fromEntries(
    list('morning morgen morges morgens formiddag vormittag frueh fruh rano').map(word => [
      word,
      [5, 12] as const,
    ]),
  ),
  ...Object.fromEntries(list('noon lunch midday mittag poludnie').map(word => [word, [11, 14] as const])),
  ...Object.fromEntries(
    list('afternoon ettermiddag nachmittag popoludniu').map(word => [word, [12, 18] as const]),
  ),
  ...Object.fromEntries(list('evening kveld abend wieczorem').map(word => [word, [17, 24] as const])),
  ...Object.fromEntries(list('night natt nacht noc noca').map(word => [word, [0, 7] as const])),
}
const idle = new Set(
  list(
    'on at around about in the of ca circa kl um gegen am den uhr i om og a o godz past ago for siden vor temu',
  ),
)
const numbers: Readonly<Record<string, number>> = {
  a: 1,
  an: 1,
  one: 1,
  en: 1,
  et: 1,
  einem: 1,
  einer: 1,
  two: 2,
  to: 2,
  zwei: 2,
  dwa: 2,
  three: 3,
  tre: 3,
  drei: 3,
  trzy: 3,
  four: 4,
  five: 5,
  six: 6,
}

/**
 * Reads when a message was sent, as people say it: 'yesterday morning', 'last week', '12.11.', 'Monday 10:30',
 * 'two days ago'. '' is `null`: any time. Days are of `timeZone`; of two readings the latest that is not in the
 * future counts.
 */
export function readWhen(
  text: string,
  { now, timeZone }: { readonly now: number; readonly timeZone: string },
): Parsed<TimeRange | null, WhenProblem> {
  const typed = fold(text.slice(0, 200)).replace(/,/g, ' ').replace(/\s+/g, ' ').trim()
  if (typed === '') return yes(null)
  const today = dayOf(now, timeZone)
  const span = (first: string, days: number): TimeRange => ({
    from: startOfDay(first, timeZone),
    to: startOfDay(daysBefore(first, -days), timeZone),
  })
  const ago =
    /^(\d{1,3}|[a-z]+) (minut|hour|time|stund|godzin|day|dag|tag|dni|dzien|week|uke|woche|tydzien|tygodni|month|maned|monat|miesia)\w* ?(?:ago|siden|temu)?$/.exec(
      typed.replace(/^(?:for|vor) /, ''),
    )
  if (ago && (/(?:ago|siden|temu)$/.test(typed) || /^(?:for|vor) /.test(typed)))
    return readAgo(ago, { now, today, span, text })
  const week = dayNumber(today)
  if (
    /^(?:last|forrige|letzte|letzten|zeszly|ubiegly) (?:week|uke|woche|tydzien)$/.test(typed) ||
    typed === 'w zeszlym tygodniu'
  )
    return yes(span(daysBefore(today, week - 1 + 7), 7))
  if (/^(?:this|denne|diese) (?:week|uka|uken|woche)$/.test(typed))
    return yes(span(daysBefore(today, week - 1), 7))
  if (/^(?:last|forrige|letzten|letzter) (?:month|maned|monat)$/.test(typed))
    return yes(wholeMonth(today, 1, timeZone))
  if (/^(?:this|denne|dieser|diesen) (?:month|maneden|monat)$/.test(typed))
    return yes(wholeMonth(today, 0, timeZone))
  if (/^(?:the )?day before yesterday$|^i forgars$/.test(typed)) return yes(span(daysBefore(today, 2), 1))
  return readDay(
    typed.replace(/^i (gar|dag)\b/, (_, word: string) => (word === 'gar' ? 'yesterday' : 'today')),
    {
      now,
      today,
      timeZone,
      text,
    },
  )
}

/** 1 for Monday to 7 for Sunday. */
const dayNumber = (day: string) => new Date(`${day}T12:00:00Z`).getUTCDay() || 7

function wholeMonth(today: string, back: number, timeZone: string): TimeRange {
  const [year = 0, month = 1] = today.split('-').map(Number)
  const first = (offset: number) => new Date(Date.UTC(year, month - 1 + offset, 1)).toISOString().slice(0, 10)
  return { from: startOfDay(first(-back), timeZone), to: startOfDay(first(1 - back), timeZone) }
}

interface Around {
  readonly now: number
  readonly today: string
  readonly text: string
  readonly span: (first: string, days: number) => TimeRange
}

function readAgo(found: RegExpExecArray, { now, today, span, text }: Around): Parsed<TimeRange, WhenProblem> {
  const [, count = '', unit = ''] = found
  const n = /^\d+$/.test(count) ? Number(count) : (numbers[count] ?? 0)
  if (n === 0) return no({ code: 'not-understood', text })
  if (/^(minut|hour|time|stund|godzin)/.test(unit)) {
    const length = unit.startsWith('minut') ? 60_000 : 3_600_000
    const at = now - n * length
    return yes({ from: at - length * Math.max(1, n / 2), to: at + length * Math.max(1, n / 2) })
  }
  if (/^(day|dag|tag|dni|dzien)/.test(unit)) return yes(span(daysBefore(today, n), 1))
  if (/^(week|uke|woche|tydzien|tygodni)/.test(unit)) return yes(span(daysBefore(today, n * 7 + 3), 7))
  return yes(span(daysBefore(today, n * 30 + 15), 31))
}

interface Day {
  readonly now: number
  readonly today: string
  readonly timeZone: string
  readonly text: string
}

/** A day by name, number or word, with a part of it or a time of the clock. */
function readDay(typed: string, { now, today, timeZone, text }: Day): Parsed<TimeRange, WhenProblem> {
  let rest = typed
  let day: string | null = null
  let clock: number | null = null
  let part: readonly [number, number] | null = null
  const date = findDate(rest, today)
  if (date === 'none such') return no({ code: 'no-such-day', text })
  if (date) {
    day = date.day
    rest = rest.replace(date.found, ' ')
  }
  const time = findTime(rest)
  if (time === 'none such') return no({ code: 'not-understood', text })
  if (time) {
    clock = time.minutes
    rest = rest.replace(time.found, ' ')
  }
  let last = false
  for (const word of rest.split(' ').filter(one => one !== '')) {
    const back = dayWords[word]
    const weekday = weekdays.findIndex(names => names.includes(word))
    if (back !== undefined && day === null) day = daysBefore(today, back)
    // 'morgen' after a day is its morning in German; alone and in Norwegian it would be tomorrow.
    else if (dayParts[word] && part === null && (day !== null || word !== 'morgen')) part = dayParts[word]
    else if (weekday >= 0 && day === null) {
      const passed = (dayNumber(today) - (weekday + 1) + 7) % 7
      day = daysBefore(today, passed === 0 && last ? 7 : passed)
    } else if (/^(?:last|sist|siste|forrige|letzten|letzter|zeszly|this)$/.test(word)) last = word !== 'this'
    else if (!idle.has(word)) return no({ code: 'not-understood', text })
  }
  if (day === null && clock === null && part === null) return no({ code: 'not-understood', text })
  const on = day ?? today
  const range = withinDay(on, clock, part, timeZone)
  // '16:00' said in the morning was yesterday's.
  if (range.from > now && day === null) return yes(withinDay(daysBefore(today, 1), clock, part, timeZone))
  return range.from > now ? no({ code: 'in-the-future', text }) : yes(range)
}

/** A time of the clock: with minutes, or marked as one by a word before or after it. */
function findTime(text: string): { readonly minutes: number; readonly found: string } | 'none such' | null {
  const found =
    /\b(?:at|kl|um|around|gegen|ca|o)?\.? ?(\d{1,2})[:.](\d{2})\b ?(am|pm)?/.exec(text) ??
    /\b(?:at|kl|um|around|gegen|o)\.? (\d{1,2})\b()(?: ?(am|pm|uhr)\b)?/.exec(text) ??
    /\b(\d{1,2})() ?(am|pm|uhr)\b/.exec(text)
  if (!found) return null
  const [whole, hours, minutes, half] = found
  const hour = Number(hours) + (half === 'pm' && Number(hours) < 12 ? 12 : 0)
  if (hour > 23 || Number(minutes) > 59) return 'none such'
  return { minutes: hour * 60 + Number(minutes), found: whole }
}

function withinDay(
  day: string,
  clock: number | null,
  part: readonly [number, number] | null,
  timeZone: string,
): TimeRange {
  const at = (hour: number) =>
    hour === 24
      ? startOfDay(daysBefore(day, -1), timeZone)
      : momentOf(day, `${String(hour).padStart(2, '0')}:00`, timeZone)
  if (clock !== null) {
    const moment = at(Math.floor(clock / 60)) + (clock % 60) * 60_000
    return { from: moment - 3_600_000, to: moment + 3_600_000 }
  }
  if (part) return { from: at(part[0]), to: at(part[1]) }
  return { from: startOfDay(day, timeZone), to: startOfDay(daysBefore(day, -1), timeZone) }
}

function findDate(
  text: string,
  today: string,
): { readonly day: string; readonly found: string } | 'none such' | null {
  const thisYear = Number(today.slice(0, 4))
  const iso = /\b(\d{4})-(\d{1,2})-(\d{1,2})\b/.exec(text)
  if (iso) return madeDay(iso[0], Number(iso[1]), Number(iso[2]), Number(iso[3]))
  const named = months.flatMap((names, i) => names.map(name => [name, i + 1] as const))
  for (const [name, month] of named) {
    const found =
      new RegExp(`\\b(\\d{1,2})(?:\\.|st|nd|rd|th)? ?${name}\\b\\.?(?: ?(\\d{4}))?`).exec(text) ??
      new RegExp(`\\b${name}\\.? (\\d{1,2})(?:st|nd|rd|th)?\\b(?!:)(?: ?(\\d{4}))?`).exec(text)
    if (found)
      return madeDay(found[0], found[2] ? Number(found[2]) : null, month, Number(found[1]), {
        thisYear,
        today,
      })
  }
  // Day first, as in the languages of our colleagues; '12.30' with a word like 'at' before it is a time.
  const numeric =
    /(?:^|\s)(\d{1,2})(?:\.(\d{1,2})\.(\d{4}|\d{2})?|\/(\d{1,2})(?:\/(\d{4}|\d{2}))?)(?=\s|$)/.exec(text)
  if (!numeric) return null
  const year = numeric[3] ?? numeric[5]
  return madeDay(
    numeric[0],
    year === undefined ? null : Number(year) + (year.length === 2 ? 2000 : 0),
    Number(numeric[2] ?? numeric[4]),
    Number(numeric[1]),
    { thisYear, today },
  )
}

/** Without a year the latest such day that has been. */
function madeDay(
  found: string,
  year: number | null,
  month: number,
  day: number,
  { thisYear, today }: { thisYear: number; today: string } = { thisYear: 0, today: '' },
): { day: string; found: string } | 'none such' {
  const text = (of: number) => `${of}-${String(month).padStart(2, '0')}-${String(day).padStart(2, '0')}`
  const isDay = (of: number) => {
    const made = new Date(`${text(of)}T12:00:00Z`)
    return !Number.isNaN(made.getTime()) && made.toISOString().slice(0, 10) === text(of)
  }
  if (year !== null) return isDay(year) ? { day: text(year), found } : 'none such'
  if (isDay(thisYear) && text(thisYear) <= today) return { day: text(thisYear), found }
  if (isDay(thisYear - 1)) return { day: text(thisYear - 1), found }
  return isDay(thisYear) ? { day: text(thisYear), found } : 'none such'
}
