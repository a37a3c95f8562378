import { fold } from './fold.ts'

/** A unit of time that people say. */
export type Unit = 'minute' | 'hour' | 'day' | 'weekend' | 'week' | 'month' | 'year'

/** What the words of a question about time come to. */
export type Token =
  /** `rough`: 'a few', 'a couple of'. */
  | { readonly kind: 'number'; readonly value: number; readonly rough?: true }
  /** '3rd', '3.': a day of a month. */
  | { readonly kind: 'ordinal'; readonly value: number }
  /** `exact`: written as a clock with 24 hours, or with am or pm. */
  | { readonly kind: 'clock'; readonly minutes: number; readonly exact: boolean }
  | { readonly kind: 'date'; readonly year: number | null; readonly month: number; readonly day: number }
  | { readonly kind: 'weekday'; readonly number: number }
  | { readonly kind: 'month'; readonly number: number }
  /** Days before today. */
  | { readonly kind: 'day'; readonly back: number }
  | { readonly kind: 'part'; readonly hours: readonly [from: number, to: number] }
  | { readonly kind: 'unit'; readonly unit: Unit }
  /** 'last week': 1; 'this week': 0. */
  | { readonly kind: 'period'; readonly unit: Unit; readonly back: number }
  | { readonly kind: Sign }

/** Words that join or bend others. `before-or-ago` is German 'vor', `ago-before` Norwegian 'for'. */
type Sign =
  | 'last'
  | 'past'
  | 'this'
  | 'next'
  | 'ago'
  | 'ago-before'
  | 'before-or-ago'
  | 'since'
  | 'between'
  | 'to'
  | 'or'
  | 'before'
  | 'after'
  | 'half'
  | 'half-to'
  | 'quarter'
  | 'early'
  | 'middle'
  | 'late'
  | 'at'
  | 'now'

const words = new Map<string, readonly Token[]>()
const say = (texts: string, ...tokens: readonly Token[]) => {
  for (const text of texts.split('|')) words.set(text, tokens)
}
const sign = (kind: Sign): Token => ({ kind })

// Folded words of English, Norwegian, German and Polish.
const months = [
  'january|jan|januar|styczen|stycznia|styczniu',
  'february|feb|februar|luty|lutego|lutym',
  'march|mar|mars|marz|marzec|marca|marcu',
  'april|apr|kwiecien|kwietnia|kwietniu',
  'may|mai|maj|maja|maju',
  'june|jun|juni|czerwiec|czerwca|czerwcu',
  'july|jul|juli|lipiec|lipca|lipcu',
  'august|aug|sierpien|sierpnia|sierpniu',
  'september|sep|sept|wrzesien|wrzesnia|wrzesniu',
  'october|oct|okt|oktober|pazdziernik|pazdziernika|pazdzierniku',
  'november|nov|listopad|listopada|listopadzie',
  'december|dec|des|dez|desember|dezember|grudzien|grudnia|grudniu',
]
months.forEach((texts, i) => say(texts, { kind: 'month', number: i + 1 }))
const weekdays = [
  'monday|mon|mandag|montag|montags|poniedzialek|poniedzialku',
  'tuesday|tue|tues|tirsdag|dienstag|wtorek|wtorku',
  'wednesday|wed|weds|onsdag|mittwoch|sroda|srode|srody',
  'thursday|thu|thur|thurs|torsdag|donnerstag|czwartek|czwartku',
  'friday|fri|fredag|freitag|piatek|piatku',
  'saturday|sat|lordag|samstag|sonnabend|sobota|sobote|soboty',
  'sunday|sun|sondag|sonntag|niedziela|niedziele|niedzieli',
]
weekdays.forEach((texts, i) => say(texts, { kind: 'weekday', number: i + 1 }))

say('today|heute|dzis|dzisiaj|i dag', { kind: 'day', back: 0 })
say('yesterday|gestern|wczoraj|i gar', { kind: 'day', back: 1 })
say('vorgestern|przedwczoraj|i forgars|day before yesterday|the day before yesterday', {
  kind: 'day',
  back: 2,
})
say('tomorrow|i morgen|ubermorgen|jutro|next|neste|nachste|nachsten|nachster|przyszly|przyszla', sign('next'))

/** Local hours, the last left out; beyond 24 they are of the next day. Wide, since people remember roughly. */
const part = (from: number, to: number): Token => ({ kind: 'part', hours: [from, to] })
say(
  'morning|morgen|morges|morgens|formiddag|vormittag|vormittags|frueh|fruh|rano|tidlig|this morning',
  part(5, 12),
)
say('noon|midday|lunch|lunchtime|lunchtid|mittag|mittags|poludnie|poludniu', part(11, 14))
say('afternoon|ettermiddag|nachmittag|nachmittags|popoludniu|po poludniu', part(12, 18))
say('evening|kveld|kvelden|abend|abends|wieczorem|wieczor', part(17, 24))
say('night|natt|nacht|nachts|noc|noca|w nocy', part(18, 31))
say('midnight|midnatt|mitternacht|polnoc', part(23, 25))
say('i morges', { kind: 'day', back: 0 }, part(5, 12))
say('i formiddag', { kind: 'day', back: 0 }, part(5, 12))
say('i ettermiddag', { kind: 'day', back: 0 }, part(12, 18))
say('i kveld|tonight|this evening|dzis wieczorem', { kind: 'day', back: 0 }, part(17, 24))
say('this afternoon', { kind: 'day', back: 0 }, part(12, 18))
say('this morning', { kind: 'day', back: 0 }, part(5, 12))
say('last night|i natt|letzte nacht|heute nacht|ostatniej nocy', { kind: 'day', back: 1 }, part(18, 31))

const unit = (name: Unit): Token => ({ kind: 'unit', unit: name })
say('minute|minutes|min|mins|minutt|minutter|minuten|minuta|minute|minuty|minut', unit('minute'))
say('hour|hours|hr|hrs|h|time|timer|timen|stunde|stunden|godzina|godzine|godziny|godzin', unit('hour'))
say('day|days|dag|dager|dagen|tag|tage|tagen|dzien|dni|dnia', unit('day'))
say('weekend|weekends|week-end|helg|helgen|helga|wochenende|weekendu', unit('weekend'))
say('week|weeks|wk|uke|uker|uka|uken|woche|wochen|tydzien|tygodnie|tygodni|tygodniu|tygodnia', unit('week'))
say(
  'month|months|maned|maneder|maneden|monat|monate|monaten|miesiac|miesiace|miesiecy|miesiacu',
  unit('month'),
)
say('year|years|ar|aret|jahr|jahre|jahren|rok|roku|lata|lat', unit('year'))
say('fortnight', { kind: 'number', value: 2 }, unit('week'))
say('week before last|the week before last|vorletzte woche|uka for forrige', {
  kind: 'period',
  unit: 'week',
  back: 2,
})
say('month before last|the month before last|vorletzten monat', { kind: 'period', unit: 'month', back: 2 })
say('i fjor|zeszly rok|w zeszlym roku', { kind: 'period', unit: 'year', back: 1 })
say('i ar', { kind: 'period', unit: 'year', back: 0 })
say(
  'half an hour|half hour|halvtime|en halvtime|einer halben stunde|halben stunde|pol godziny',
  {
    kind: 'number',
    value: 30,
  },
  unit('minute'),
)
say(
  'quarter of an hour|a quarter of an hour|et kvarter|kvarter|einer viertelstunde|viertelstunde|kwadrans',
  {
    kind: 'number',
    value: 15,
  },
  unit('minute'),
)
say(
  'hour and a half|an hour and a half|halvannen time|anderthalb stunden|poltorej godziny',
  {
    kind: 'number',
    value: 90,
  },
  unit('minute'),
)

say(
  'last|sist|siste|forrige|letzte|letzten|letzter|letztes|letztem|vergangene|vergangenen|zeszly|zeszla|zeszlym|ubiegly|ostatni|ostatnie|ostatnia|previous',
  sign('last'),
)
say('this|current|denne|dette|diese|dieser|diesen|dieses|diesem|ten|tym|earlier this', sign('this'))
say('ago|siden|temu|her|back|earlier', sign('ago'))
say('vor', sign('before-or-ago'))
say('for', sign('ago-before'))
say('since|seit|od|from|fra|von', sign('since'))
say('between|mellom|zwischen|miedzy|pomiedzy', sign('between'))
say('to|until|till|til|bis|do|through', sign('to'))
say('or|eller|oder|lub|and|og|und', sign('or'))
say('before|przed', sign('before'))
say('after|etter|nach', sign('after'))
say('quarter|kvart|viertel', sign('quarter'))
say('half', sign('half'))
say('halb|halv', sign('half-to'))
say(
  'early|beginning of|the beginning of|start of|the start of|first half of|starten av|anfang|poczatek|na poczatku',
  sign('early'),
)
say('mid|middle of|the middle of|midten av|mitte|polowa|w polowie', sign('middle'))
say('late|end of|the end of|slutten av|ende|koniec|pod koniec', sign('late'))
say('at|kl|klokka|klokken|um|around|about|gegen|rundt|ca|circa|roughly|approximately|o|okolo|@', sign('at'))
say(
  'now|just now|nettopp|gerade eben|eben|teraz|przed chwila|right now|a moment ago|moments ago',
  sign('now'),
)
say('kvart over|viertel nach|quarter past|quarter after|kwadrans po', sign('quarter'), sign('after'))
say('kvart pa|viertel vor|quarter to|za kwadrans', sign('quarter'), sign('before'))
say('half past', sign('half'), sign('past'))
say('past|over', sign('past'))
say('pa', sign('before'))
// 'on', 'the' and the like say nothing; 'i', 'w' and 'na' are 'in' and 'on'.
const idle = new Set(
  'on the in of den der die das dem im am i w we na sometime somewhen maybe-around a.m it was er es det war uhr clock ish part during'.split(
    ' ',
  ),
)

const numbers =
  'zero null|one a an en et ein eine einem einer eins jeden jedna jedno|two zwei dwa dwie|three tre drei trzy|four fire vier cztery|five fem funf piec|six seks sechs szesc|seven sju syv sieben siedem|eight atte acht osiem|nine ni neun dziewiec|ten ti zehn dziesiec|eleven elleve elf jedenascie|twelve tolv zwolf dwanascie'
numbers.split('|').forEach((texts, value) => {
  for (const text of texts.split(' ')) words.set(text, [{ kind: 'number', value }])
})
// 'ten' is the Polish 'this', too; people who type English numbers are more.
say('fifteen|femten|funfzehn|pietnascie', { kind: 'number', value: 15 })
say('twenty|tjue|zwanzig|dwadziescia', { kind: 'number', value: 20 })
say('thirty|tretti|dreissig|trzydziesci', { kind: 'number', value: 30 })
say(
  'a couple of|a couple|couple of|couple|et par|ein paar|kilka|a few|few|noen|noen fa|several|some|einigen|paar',
  {
    kind: 'number',
    value: 3,
    rough: true,
  },
)

const longest = 5

/** Two digits of a year are of this century. */
const fullYear = (text: string | undefined) =>
  text === undefined ? null : Number(text) + (text.length === 2 ? 2000 : 0)

type Reader = readonly [pattern: RegExp, read: (found: RegExpExecArray) => Token | 'nonsense']

const clock = (
  hours: number,
  minutes: number,
  half: string | undefined,
  exact: boolean,
): Token | 'nonsense' => {
  const marked = half?.replace(/\W/g, '') ?? ''
  if (minutes > 59 || hours > 24 || (/^[ap]m$/.test(marked) && (hours > 12 || hours === 0))) return 'nonsense'
  const hour = marked === 'am' ? hours % 12 : marked === 'pm' ? (hours % 12) + 12 : hours % 24
  return { kind: 'clock', minutes: hour * 60 + minutes, exact: exact || marked === 'am' || marked === 'pm' }
}
const date = (year: number | null, month: number, day: number): Token =>
  // 11/20: no month has that number, so it was written the other way round
  month > 12 && day <= 12
    ? { kind: 'date', year, month: day, day: month }
    : { kind: 'date', year, month, day }

/** What begins with a digit, the longest form first. Day first, as in the languages of our colleagues. */
const digits: readonly Reader[] = [
  [/(\d{4})-(\d{1,2})-(\d{1,2})(?!\d)/y, ([, y, m, d]) => date(Number(y), Number(m), Number(d))],
  [
    /(\d{1,2})([./-])(\d{1,2})\2(\d{4}|\d{2})(?!\d)/y,
    ([, d, , m, y]) => date(fullYear(y), Number(m), Number(d)),
  ],
  [/(\d{1,2})\.(\d{1,2})\.(?!\d)/y, ([, d, m]) => date(null, Number(m), Number(d))],
  [/(\d{1,2})\/(\d{1,2})(?!\d)/y, ([, d, m]) => date(null, Number(m), Number(d))],
  [
    /(\d{1,2})[:.](\d{2})(?![\d.])(?: ?(am|pm|a\.m\.?|p\.m\.?)(?![a-z]))?/y,
    ([, h = '', m, half]) => clock(Number(h), Number(m), half, h.length === 2),
  ],
  [/(\d{1,2}) ?(am|pm|a\.m\.?|p\.m\.?)(?![a-z])/y, ([, h, half]) => clock(Number(h), 0, half, true)],
  [
    /(\d{1,2}) ?(?:uhr|o'?clock|h(?! ?(?:ago|siden|temu)))(?![a-z])/y,
    ([, h]) => clock(Number(h), 0, undefined, false),
  ],
  [/(\d{1,2})-?ish(?![a-z])/y, ([, h]) => clock(Number(h), 0, undefined, false)],
  [/(\d{1,2})(?:st|nd|rd|th)(?![a-z])/y, ([, n]) => ({ kind: 'ordinal', value: Number(n) })],
  [/(\d{1,2})\.(?= |$)/y, ([, n]) => ({ kind: 'ordinal', value: Number(n) })],
  [/(\d{1,4})(?!\d)/y, ([, n]) => ({ kind: 'number', value: Number(n) })],
]

/** The tokens of a text; `null` when a word of it is none we know. */
export function readTokens(text: string): readonly Token[] | null {
  const typed = fold(text)
    .replace(/[,;?!]+(?= |$)/g, ' ')
    .replace(/[–—]/g, '-')
    .replace(/[’‘`´]/g, "'")
  const tokens: Token[] = []
  let at = 0
  while (at < typed.length) {
    const c = typed[at] ?? ''
    if (/\s/.test(c)) at += 1
    else if (c === '-') {
      tokens.push({ kind: 'to' })
      at += 1
    } else if (/\d/.test(c)) {
      const found = readDigits(typed, at)
      if (!found) return null
      tokens.push(found.token)
      at = found.end
    } else {
      const found = readWords(typed, at)
      if (!found) return null
      tokens.push(...found.tokens)
      at = found.end
    }
  }
  return tokens
}

function readDigits(text: string, at: number): { readonly token: Token; readonly end: number } | null {
  for (const [pattern, read] of digits) {
    pattern.lastIndex = at
    const found = pattern.exec(text)
    if (!found) continue
    const token = read(found)
    return token === 'nonsense' ? null : { token, end: at + found[0].length }
  }
  return null
}

/** The longest phrase we know that begins here. */
function readWords(
  text: string,
  at: number,
): { readonly tokens: readonly Token[]; readonly end: number } | null {
  const ends: number[] = []
  const word = /[a-z@]+(?:[-'.][a-z]+)*\.?/y
  for (let from = at; ends.length < longest;) {
    word.lastIndex = from
    const found = word.exec(text)
    if (!found) break
    ends.push(from + found[0].length)
    from += found[0].length
    while (text[from] === ' ') from += 1
  }
  for (const end of ends.reverse()) {
    const phrase = text.slice(at, end).replace(/ +/g, ' ').replace(/\.$/, '')
    const tokens = words.get(phrase) ?? (idle.has(phrase) ? [] : undefined)
    if (tokens) return { tokens, end }
  }
  return null
}
