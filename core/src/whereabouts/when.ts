import { no, yes, type Parsed } from '../address/index.ts'
import { dayOf, daysBefore, momentOf, startOfDay } from '../calendar/index.ts'
import { readTokens, type Token, type Unit } from './when-words.ts'

/** From and to in epoch ms, `to` left out. */
export interface TimeRange {
  readonly from: number
  readonly to: number
}

/** Why a time was not understood. */
export type WhenProblem =
  | { readonly code: 'not-understood'; readonly text: string }
  /** Such as 31 February. */
  | { readonly code: 'no-such-day'; readonly text: string }
  | { readonly code: 'in-the-future'; readonly text: string }

type Found = TimeRange | WhenProblem['code']

/** What reading needs to know of now. */
interface Now {
  readonly now: number
  /** 'YYYY-MM-DD' in the zone. */
  readonly today: string
  readonly timeZone: string
}

const minute = 60_000
const hour = 60 * minute
const day = 24 * hour

/**
 * Reads when a message was sent, as people say it: 'yesterday morning', 'last week', '12.11.', 'Monday 10:30',
 * 'two days ago', 'since Monday', 'between 9 and 10'. '' is `null`: any time. Days are of `timeZone`; of two readings the
 * latest that is not in the future counts. What is not understood whole is not understood at all.
 */
export function readWhen(
  text: string,
  { now, timeZone }: { readonly now: number; readonly timeZone: string },
): Parsed<TimeRange | null, WhenProblem> {
  const typed = text.slice(0, 200)
  if (typed.trim() === '') return yes(null)
  const tokens = readTokens(typed)
  const found =
    tokens === null || tokens.length === 0
      ? 'not-understood'
      : readAll(tokens, { now, timeZone, today: dayOf(now, timeZone) })
  if (typeof found === 'string') return no({ code: found, text })
  if (found.from > now) return no({ code: 'in-the-future', text })
  return found.from < found.to ? yes(found) : no({ code: 'not-understood', text })
}

const is = (token: Token | undefined, ...kinds: readonly Token['kind'][]) =>
  token !== undefined && kinds.includes(token.kind)

function readAll(tokens: readonly Token[], at: Now): Found {
  const [first, ...rest] = tokens
  if (tokens.some(token => is(token, 'next'))) return 'in-the-future'
  if (tokens.length === 1 && is(first, 'now')) return { from: at.now - hour, to: at.now + minute }
  const ago = readAgo(tokens, at)
  if (ago !== null) return ago
  const joint = findJoint(tokens)
  if (joint !== null) return readBetween(tokens, joint, at)
  // Norwegian 'siden' is both: 'siden mandag', 'to dager siden'.
  if (is(first, 'since', 'ago')) {
    const from = readOne(rest, at)
    return typeof from === 'string' ? from : { from: from.from, to: Math.max(at.now, from.from + 1) }
  }
  if (is(first, 'before', 'before-or-ago')) return readBefore(rest, at)
  if (is(first, 'after')) return readAfter(rest, at)
  const found = readOne(tokens, at)
  const bend = tokens.findIndex(token => is(token, 'before', 'after'))
  if (found !== 'not-understood' || bend < 1) return found
  // 'yesterday after lunch' is 'after lunch yesterday'
  const turned = [...tokens.slice(0, bend), ...tokens.slice(bend + 1)]
  return is(tokens[bend], 'after') ? readAfter(turned, at) : readBefore(turned, at)
}

/** Where 'to', 'and' or 'or' parts two moments; `null` for one moment. 'ten to four' is one. */
function findJoint(tokens: readonly Token[]): number | null {
  const opens = is(tokens[0], 'since') || tokens.some(token => is(token, 'between'))
  const at = tokens.findIndex(
    (token, i) => i > 0 && i < tokens.length - 1 && is(token, 'to', 'or') && !is(tokens[i + 1], 'unit'),
  )
  if (at < 0) return null
  const isClock =
    tokens[at]?.kind === 'to' &&
    !opens &&
    is(tokens[at - 1], 'number') &&
    is(tokens[at + 1], 'number') &&
    [5, 10, 15, 20, 25].includes(valueOf(tokens[at - 1])) &&
    valueOf(tokens[at + 1]) < valueOf(tokens[at - 1]) &&
    at === tokens.findLastIndex(token => is(token, 'to', 'or'))
  return isClock ? null : at
}

const valueOf = (token: Token | undefined) => (token && 'value' in token ? token.value : 0)

/** '9 to 10 this morning', 'from Monday to Wednesday': what one side leaves out is the other's. */
function readBetween(tokens: readonly Token[], joint: number, at: Now): Found {
  const opened = is(tokens[0], 'since') || tokens.some(token => is(token, 'between'))
  const left = readMoment(
    tokens.slice(is(tokens[0], 'since') ? 1 : 0, joint).filter(token => !is(token, 'between')),
    at,
  )
  const right = readMoment(tokens.slice(joint + 1), at)
  if (typeof left === 'string') return left
  if (typeof right === 'string') return right
  const or = tokens[joint]?.kind === 'or' && !opened
  // '3 to 5 November': the number before is a day of the same month.
  if (
    left.day === null &&
    left.clock !== null &&
    !left.exact &&
    right.days === null &&
    right.dated &&
    right.clock === null
  ) {
    const first = `${right.day?.slice(0, 8)}${String(left.clock / 60).padStart(2, '0')}`
    return join(rangeOf({ ...right, day: first }, at), rangeOf(right, at))
  }
  const shared = { day: left.day ?? right.day, part: left.part ?? right.part, days: left.days ?? right.days }
  const first = rangeOf(
    {
      ...left,
      day: left.day ?? shared.day,
      part: left.part ?? shared.part,
      days: left.day === null ? shared.days : left.days,
    },
    at,
    or ? hour : 0,
  )
  const last = rangeOf(
    {
      ...right,
      day: right.day ?? shared.day,
      part: right.part ?? shared.part,
      days: right.day === null ? shared.days : right.days,
    },
    at,
    or ? hour : 0,
  )
  return join(first, last)
}

function join(first: Found, last: Found): Found {
  if (typeof first === 'string') return first
  if (typeof last === 'string') return last
  return { from: Math.min(first.from, last.from), to: Math.max(first.to, last.to, first.from + minute) }
}

function readBefore(tokens: readonly Token[], at: Now): Found {
  const moment = readMoment(tokens, at)
  if (typeof moment === 'string') return moment
  const range = rangeOf(moment, at, 0)
  if (typeof range === 'string') return range
  // Before lunch, before ten: of that day. Before a day: the week before it.
  const within = moment.clock !== null || moment.part !== null
  const from = within ? startOfDay(dayOf(range.from, at.timeZone), at.timeZone) : range.from - 7 * day
  return { from, to: Math.max(range.from, from + minute) }
}

function readAfter(tokens: readonly Token[], at: Now): Found {
  const moment = readMoment(tokens, at)
  if (typeof moment === 'string') return moment
  const range = rangeOf(moment, at, 0)
  if (typeof range === 'string') return range
  const within = moment.clock !== null || moment.part !== null
  const from = moment.part ? range.from + hour : moment.clock !== null ? range.from : range.to
  const end = within ? startOfDay(daysBefore(dayOf(range.from, at.timeZone), -1), at.timeZone) : at.now
  return { from, to: Math.max(end, from + minute) }
}

/** '3 days ago', 'vor drei Tagen', 'for to dager siden', 'the last two hours'; `null` when it is none of these. */
function readAgo(tokens: readonly Token[], at: Now): Found | null {
  const isLast = is(tokens[0], 'last', 'past')
  const begins = is(tokens[0], 'before-or-ago', 'ago-before')
  const ends = is(tokens.at(-1), 'ago')
  const inner = tokens
    .slice(isLast || begins ? 1 : 0, ends ? -1 : undefined)
    .filter(token => !is(token, 'at'))
  const one: Token = { kind: 'number', value: 1 }
  // Norwegian 'to' is two.
  const two: Token = { kind: 'number', value: 2 }
  const [said, unit, more] = inner.length === 1 ? [one, inner[0]] : inner
  const count = said?.kind === 'to' ? two : said
  if (more !== undefined || count?.kind !== 'number' || unit?.kind !== 'unit' || !(isLast || begins || ends))
    return null
  // 'last week' is the one before this; 'the last hour' and 'the last three weeks' end now.
  if (is(tokens[0], 'last') && inner.length === 1 && unit.unit !== 'minute' && unit.unit !== 'hour')
    return null
  const n = count.value
  if (n === 0 || unit.unit === 'weekend') return 'not-understood'
  if (isLast) return lastUnits(n, unit.unit, at)
  if (!count.rough) return unitsAgo(n, unit.unit, at)
  // 'a few days ago': two of them, or five
  return join(unitsAgo(5, unit.unit, at), unitsAgo(2, unit.unit, at))
}

function lastUnits(n: number, unit: Unit, { now, today, timeZone }: Now): Found {
  const lengths: Readonly<Partial<Record<Unit, number>>> = { minute, hour }
  const length = lengths[unit]
  if (length !== undefined) return { from: now - n * length, to: now + minute }
  const days = { day: 1, week: 7, month: 30, year: 365 }[unit as 'day']
  return { from: startOfDay(daysBefore(today, n * days), timeZone), to: now + minute }
}

/** As far off as people are: half as much again for hours, the day itself, half a week for weeks. */
function unitsAgo(n: number, unit: Unit, { now, today, timeZone }: Now): Found {
  const days = (first: string, many: number) => spanOf(first, many, timeZone)
  switch (unit) {
    case 'minute':
    case 'hour': {
      const length = unit === 'minute' ? minute : hour
      const margin = length * Math.max(1, n / 2)
      return { from: now - n * length - margin, to: now - n * length + margin }
    }
    case 'week':
      return days(daysBefore(today, n * 7 + 3), 7)
    case 'month':
      return days(daysBefore(today, n * 30 + 15), 31)
    case 'year':
      return days(daysBefore(today, n * 365 + 60), 121)
    default:
      return days(daysBefore(today, n), 1)
  }
}

const spanOf = (first: string, days: number, timeZone: string): TimeRange => ({
  from: startOfDay(first, timeZone),
  to: startOfDay(daysBefore(first, -days), timeZone),
})

/** One moment as it was said: a day or days, a part of a day, a time of the clock. */
interface Moment {
  readonly day: string | null
  /** Said by its date. */
  readonly dated: boolean
  /** A week, a month, a weekend: more than a day. */
  readonly days: TimeRange | null
  readonly part: readonly [number, number] | null
  /** Minutes of the day. */
  readonly clock: number | null
  readonly exact: boolean
}

function readOne(tokens: readonly Token[], at: Now): Found {
  const moment = readMoment(tokens, at)
  return typeof moment === 'string' ? moment : rangeOf(moment, at)
}

interface Said {
  date: { year: number | null; month: number; day: number } | null
  weekday: number | null
  back: number | null
  dayOfMonth: number | null
  month: number | null
  year: number | null
  period: { unit: Unit; back: number } | null
  part: readonly [number, number] | null
  clock: number | null
  exact: boolean
  last: boolean
  now: boolean
  third: 'early' | 'middle' | 'late' | null
}

function readMoment(tokens: readonly Token[], at: Now): Moment | WhenProblem['code'] {
  const said = readSaid(tokens)
  return said === null ? 'not-understood' : toMoment(said, at)
}

/** Puts every token in its place; `null` where one has none, or two want the same. */
function readSaid(tokens: readonly Token[]): Said | null {
  const said: Said = {
    date: null,
    weekday: null,
    back: null,
    dayOfMonth: null,
    month: null,
    year: null,
    period: null,
    part: null,
    clock: null,
    exact: false,
    last: false,
    now: false,
    third: null,
  }
  for (let i = 0; i < tokens.length; i += 1) {
    const told = readToldTime(tokens.slice(i))
    if (told) {
      if (said.clock !== null) return null
      said.clock = told.minutes
      i += told.length - 1
      continue
    }
    if (!place(said, tokens[i] as Token, tokens[i - 1], tokens[i + 1])) return null
  }
  return said
}

/** 'quarter past three', 'half past two', 'halb drei', 'ten to four'. */
function readToldTime(
  tokens: readonly Token[],
): { readonly minutes: number; readonly length: number } | null {
  const [first, second, third] = tokens
  const hourOf = (token: Token | undefined) =>
    token?.kind === 'number' && token.value >= 1 && token.value <= 12 ? token.value * 60 : null
  const made = (whole: number | null, minutes: number, length: number) =>
    whole === null ? null : { minutes: (whole + minutes + 1440) % 1440, length }
  if (is(first, 'half-to')) return made(hourOf(second), -30, 2)
  if (is(first, 'half') && is(second, 'after', 'past')) return made(hourOf(third), 30, 3)
  if (is(first, 'half')) return made(hourOf(second), 30, 2)
  const minutes =
    first?.kind === 'quarter' ? 15 : first?.kind === 'number' && first.value < 30 ? first.value : null
  if (minutes === null) return null
  if (is(second, 'after', 'past')) return made(hourOf(third), minutes, 3)
  if (is(second, 'to', 'before', 'before-or-ago')) return made(hourOf(third), -minutes, 3)
  return null
}

function place(said: Said, token: Token, before: Token | undefined, after: Token | undefined): boolean {
  const put = <K extends keyof Said>(key: K, value: Said[K]) => {
    if (said[key] !== null && said[key] !== false) return false
    said[key] = value
    return true
  }
  switch (token.kind) {
    case 'at':
      return true
    case 'now':
      return put('now', true)
    case 'this':
      return true
    case 'last':
      return put('last', true)
    case 'early':
    case 'middle':
    case 'late':
      return put('third', token.kind)
    case 'date':
      return put('date', token)
    case 'weekday':
      return put('weekday', token.number)
    case 'day':
      return put('back', token.back)
    case 'month':
      return put('month', token.number)
    case 'part':
      return put('part', token.hours)
    case 'ordinal':
      return put('dayOfMonth', token.value)
    case 'clock':
      said.exact = token.exact
      return put('clock', token.minutes)
    case 'period':
      return put('period', token)
    case 'unit':
      if (!is(before, 'this', 'last') && token.unit !== 'weekend') return false
      return put('period', { unit: token.unit, back: is(before, 'last') ? 1 : 0 })
    case 'number': {
      const { value } = token
      if (value > 1900) return said.month !== null && put('year', value)
      const ofMonth = is(before, 'month') || (is(after, 'month') && !is(before, 'at'))
      if (ofMonth && value >= 1 && value <= 31) return put('dayOfMonth', value)
      return value <= 24 && put('clock', (value % 24) * 60)
    }
    default:
      return false
  }
}

function toMoment(said: Said, at: Now): Moment | WhenProblem['code'] {
  const { part, exact, clock } = said
  const plain = { part, clock, exact, dated: false, days: null }
  const whole = [said.date, said.back, said.period, said.month ?? said.dayOfMonth].filter(one => one !== null)
  if (whole.length > 1) return 'not-understood'
  if (said.now)
    return whole.length > 0 || clock !== null || part ? 'not-understood' : { ...plain, day: at.today }
  if (said.third !== null && said.period === null && (said.month === null || said.dayOfMonth !== null))
    return 'not-understood'
  if (said.period) {
    const days = periodOf(said.period, at)
    if (days === null || said.weekday !== null || clock !== null || part) return 'not-understood'
    return { ...plain, day: null, days: thirdOf(days, said.third, at.timeZone) }
  }
  if (said.month !== null && said.dayOfMonth === null) {
    if (said.weekday !== null || clock !== null || part) return 'not-understood'
    return { ...plain, day: null, days: thirdOf(monthOf(said, said.month, at), said.third, at.timeZone) }
  }
  if (said.date ?? said.dayOfMonth) {
    const found = dateOf(said, at)
    if (found === null) return 'no-such-day'
    return withWeekday({ ...plain, day: found, dated: true }, said.weekday, at)
  }
  if (said.back !== null) return { ...plain, day: daysBefore(at.today, said.back) }
  if (said.weekday !== null) {
    const passed = (dayNumber(at.today) - said.weekday + 7) % 7
    return { ...plain, day: daysBefore(at.today, passed === 0 && said.last ? 7 : passed) }
  }
  return clock === null && part === null ? 'not-understood' : { ...plain, day: null }
}

/** 1 for Monday to 7 for Sunday. */
const dayNumber = (date: string) => new Date(`${date}T12:00:00Z`).getUTCDay() || 7

/** 'Monday 24 November' when that is a Tuesday: one of the two is wrong, so both are looked at. */
function withWeekday(moment: Moment, weekday: number | null, { timeZone }: Now): Moment {
  const date = moment.day
  if (weekday === null || date === null) return moment
  const off = ((weekday - dayNumber(date) + 10) % 7) - 3
  if (off === 0) return moment
  const other = daysBefore(date, -off)
  const [first, last] = date < other ? [date, other] : [other, date]
  return {
    ...moment,
    day: null,
    days: { from: startOfDay(first, timeZone), to: startOfDay(daysBefore(last, -1), timeZone) },
  }
}

/** 'early October': a third of it, generous at both ends, in whole days. */
function thirdOf(range: TimeRange, third: Said['third'], timeZone: string): TimeRange {
  if (third === null) return range
  const length = (range.to - range.from) / 3
  const from = range.from + { early: 0, middle: 1, late: 2 }[third] * length
  const dayAt = (moment: number) => startOfDay(dayOf(moment, timeZone), timeZone)
  return {
    from: Math.max(range.from, dayAt(from - length / 4)),
    to: Math.min(range.to, dayAt(from + length + length / 4 + day)),
  }
}

function periodOf({ unit, back }: { unit: Unit; back: number }, { today, timeZone }: Now): TimeRange | null {
  const number = dayNumber(today)
  switch (unit) {
    case 'week':
      return spanOf(daysBefore(today, number - 1 + 7 * back), 7, timeZone)
    case 'weekend': {
      // On a Saturday or Sunday "last weekend" is the one before.
      const saturday = daysBefore(today, (number + 1) % 7)
      return spanOf(daysBefore(saturday, number >= 6 ? 7 * back : 0), 2, timeZone)
    }
    case 'month':
      return monthAt(today, -back, timeZone)
    case 'year': {
      const year = Number(today.slice(0, 4)) - back
      return { from: startOfDay(`${year}-01-01`, timeZone), to: startOfDay(`${year + 1}-01-01`, timeZone) }
    }
    default:
      return null
  }
}

function monthAt(date: string, offset: number, timeZone: string): TimeRange {
  const [year = 0, month = 1] = date.split('-').map(Number)
  const first = (more: number) =>
    new Date(Date.UTC(year, month - 1 + offset + more, 1)).toISOString().slice(0, 10)
  return { from: startOfDay(first(0), timeZone), to: startOfDay(first(1), timeZone) }
}

/** A month by its name: the latest that has begun. 'last October' in October is the one a year ago. */
function monthOf({ year, last }: Said, month: number, { today, timeZone }: Now): TimeRange {
  const [thisYear = 0, thisMonth = 1] = today.split('-').map(Number)
  const latest = month > thisMonth || (month === thisMonth && last) ? thisYear - 1 : thisYear
  return monthAt(`${year ?? latest}-${String(month).padStart(2, '0')}-01`, 0, timeZone)
}

/** The day a date stands for; without a year, or without a month, the latest that has been. `null`: no such day. */
function dateOf(said: Said, { today }: Now): string | null {
  const made = (year: number, month: number, date: number) => {
    const text = `${year}-${String(month).padStart(2, '0')}-${String(date).padStart(2, '0')}`
    const is = new Date(`${text}T12:00:00Z`)
    return !Number.isNaN(is.getTime()) && is.toISOString().slice(0, 10) === text ? text : null
  }
  const thisYear = Number(today.slice(0, 4))
  const {
    year,
    month,
    day: date,
  } = said.date ?? { year: said.year, month: said.month, day: said.dayOfMonth ?? 0 }
  if (month === null) {
    for (let back = 0; back < 12; back += 1) {
      const first = new Date(Date.UTC(thisYear, Number(today.slice(5, 7)) - 1 - back, 1))
      const found = made(first.getUTCFullYear(), first.getUTCMonth() + 1, date)
      if (found !== null && found <= today) return found
    }
    return null
  }
  if (year !== null) return made(year, month, date)
  const [now, before] = [made(thisYear, month, date), made(thisYear - 1, month, date)]
  return now !== null && now <= today ? now : (before ?? now)
}

/** A moment as a range; around a time of the clock an hour before and after, unless the ends were said. */
function rangeOf({ day: on, days, part, clock, exact }: Moment, at: Now, margin = hour): Found {
  if (days) return clock !== null || part ? 'not-understood' : days
  const within = (date: string) =>
    withinDay(
      date,
      { clock: clock === null ? null : dayClock(clock, exact, part), part, margin },
      at.timeZone,
    )
  if (on !== null) return within(on)
  const today = within(at.today)
  // '16:00' said in the morning was yesterday's.
  return today.from > at.now ? within(daysBefore(at.today, 1)) : today
}

/** Nobody says 'around four' of the small hours (common practice): one to six is the afternoon unless it says not. */
function dayClock(clock: number, exact: boolean, part: Moment['part']): number {
  if (exact || clock >= 720) return clock
  if (part) return part[0] >= 11 && clock + 720 < part[1] * 60 ? clock + 720 : clock
  return clock >= 60 && clock < 420 ? clock + 720 : clock
}

function withinDay(
  date: string,
  { clock, part, margin }: Pick<Moment, 'clock' | 'part'> & { readonly margin: number },
  timeZone: string,
): TimeRange {
  const at = (hours: number): number =>
    hours >= 24
      ? hours === 24
        ? startOfDay(daysBefore(date, -1), timeZone)
        : momentOf(daysBefore(date, -1), `${String(hours - 24).padStart(2, '0')}:00`, timeZone)
      : momentOf(date, `${String(hours).padStart(2, '0')}:00`, timeZone)
  if (clock !== null) {
    const moment = at(Math.floor(clock / 60)) + (clock % 60) * minute
    return { from: moment - margin, to: moment + Math.max(margin, minute) }
  }
  if (part) return { from: at(part[0]), to: at(part[1]) }
  return spanOf(date, 1, timeZone)
}
