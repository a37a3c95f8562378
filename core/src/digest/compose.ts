/** Where each of a line's links leads: to a page that shows what would be done, and waits. */
export interface DigestLinks {
  readonly read: string
  readonly send: string
  readonly trust: string
  readonly refuse: string
}

/** One kept-back delivery as a digest shows it. */
export interface DigestLine {
  readonly name: string
  readonly address: string
  readonly subject: string
  /** Epoch ms. */
  readonly receivedAt: number
  /** Why it was kept back, a whole sentence in the digest's language. */
  readonly reason: string
  /** By which it is asked for in a reply, such as `K7Q-4MD`; '' in a preview of what has none yet. */
  readonly reference: string
  /** What the help desk adds for the colleague; '' for nothing. */
  readonly note: string
  /** `null` where colleagues have no pages of their own. */
  readonly links: DigestLinks | null
}

/** A kept-back delivery that goes away soon without anybody having looked. */
interface EndingLine extends DigestLine {
  /** Epoch ms. */
  readonly goesOn: number
}

/** All that a digest says. */
export interface DigestInput {
  readonly colleague: string
  readonly organisation: string
  /** BCP 47 and IANA names; they decide words and times. */
  readonly language: string
  readonly timeZone: string
  /** Likeliest-wanted first. */
  readonly lines: readonly DigestLine[]
  /** A reminder: what an earlier digest told of, likely wanted, soon gone. */
  readonly ending: readonly EndingLine[]
  /** Near-certain junk that is not listed. */
  readonly leftOut: number
  /** Epoch ms of the last day anything of it is kept; `null` when nothing was left out. */
  readonly leftOutUntil: number | null
  /** Whether mail of the junk folder is among what is left out. */
  readonly leavesOutJunk: boolean
  /** The address of the colleague's own page; '' for none. */
  readonly ownPage: string
  /** Where a fresh digest is asked for; '' for none. */
  readonly freshPage: string
  /** The organisation's own last words; '' for none. */
  readonly foot: string
}

/** A digest as mail: subject and both bodies. */
export interface DigestText {
  readonly subject: string
  readonly text: string
  readonly html: string
}

/** Wording of one language: key and facts to text. */
export type Translate = (key: string, facts?: Record<string, string | number>) => string

/**
 * A digest's subject and its two bodies, saying the same. `null` when there is nothing to say: no digest
 * goes out then (domain.md §6).
 */
export function composeDigest(input: DigestInput, t: Translate): DigestText | null {
  const count = input.lines.length
  const remindsOnly = count === 0 && input.leftOut === 0
  if (remindsOnly && input.ending.length === 0) return null
  const words: Words = {
    subject: t(remindsOnly ? 'digest.subjectEnding' : 'digest.subject', {
      count: remindsOnly ? input.ending.length : count,
    }),
    greeting: t('digest.greeting', { name: input.colleague }),
    intro: introOf(input, t),
    ending: input.ending.length === 0 ? '' : t('digest.ending', { count: input.ending.length }),
    goesOn: time => t('digest.goesOn', { date: dayText(time, input) }),
    note: t('digest.note'),
    leftOut:
      input.leftOut === 0 || input.leftOutUntil === null
        ? ''
        : t(input.leavesOutJunk ? 'digest.leftOutJunk' : 'digest.leftOut', {
            count: input.leftOut,
            date: dayText(input.leftOutUntil, input),
          }),
    ownPage: input.ownPage === '' ? '' : t('digest.ownPage'),
    fresh: input.freshPage === '' ? t('digest.fresh') : `${t('digest.fresh')} ${t('digest.freshHere')}`,
    act: {
      read: t('act.read'),
      send: t('act.send'),
      trust: t('act.send-trust'),
      refuse: t('act.refuse'),
      any: t('digest.any'),
    },
    help: [
      ...(count + input.ending.length > 0 ? [t('digest.howToAsk')] : []),
      t('digest.help', { organisation: input.organisation }),
    ].join(' '),
  }
  return { subject: words.subject, text: textBody(input, words), html: htmlBody(input, words) }
}

/** Some languages go on in lower case after a greeting; behind the reminder it begins a paragraph of its own. */
function introOf({ lines, leftOut, ending, language }: DigestInput, t: Translate): string {
  if (lines.length === 0 && leftOut === 0) return ''
  const intro = t('digest.intro', { count: lines.length })
  return ending.length === 0 ? intro : intro.charAt(0).toLocaleUpperCase(language) + intro.slice(1)
}

interface Words {
  readonly subject: string
  readonly greeting: string
  readonly intro: string
  readonly ending: string
  readonly goesOn: (time: number) => string
  readonly note: string
  readonly leftOut: string
  readonly ownPage: string
  readonly fresh: string
  readonly act: DigestLinks & { readonly any: string }
  readonly help: string
}

function textBody(input: DigestInput, words: Words): string {
  const block = (line: DigestLine & Partial<EndingLine>) =>
    [
      `${inert(visible(line.name)) || line.address} <${line.address}>`,
      `  ${inert(visible(line.subject))}`,
      `  ${timeText(line.receivedAt, input)} · ${line.reason}`,
      ...(line.goesOn === undefined ? [] : [`  ${words.goesOn(line.goesOn)}`]),
      ...(line.note === '' ? [] : [`  ${words.note} ${visible(line.note)}`]),
      ...(line.reference === '' ? [] : [`  ${line.reference}`]),
      ...(line.links === null ? [] : [`  ${words.act.any} ${line.links.read}`]),
    ].join('\n')
  return (
    [
      words.greeting,
      words.ending,
      ...input.ending.map(block),
      words.intro,
      ...input.lines.map(block),
      words.leftOut,
      words.ownPage === '' ? '' : `${words.ownPage} ${input.ownPage}`,
      [words.fresh, input.freshPage].filter(part => part !== '').join(' '),
      words.help,
      input.foot,
    ]
      .filter(part => part !== '')
      .join('\n\n') + '\n'
  )
}

/**
 * A sender's words without web addresses that a mail program would make live: the dots of hosts, and what parts a scheme
 * from its host, get brackets (common practice).
 */
function inert(text: string): string {
  return text
    .replace(/:\/\//g, '[:]//')
    .replace(/(?<=[\p{L}\p{N}-])\.(?=(?:[\p{L}\p{N}-]{1,63}\.){0,8}\p{L}{2,63}(?:[/:?#]|$))/gu, '[.]')
    .replace(/\bwww\./gi, 'www[.]')
}

function htmlBody(input: DigestInput, words: Words): string {
  const block = (
    line: DigestLine & Partial<EndingLine>,
  ) => `<div style="border:1px solid #D8D1C2;border-radius:8px;padding:12px 14px;margin:0 0 10px">
<div style="font-size:12px;color:#52606A;float:right;padding-left:12px">${escape(timeText(line.receivedAt, input))}</div>
<div><b><bdi>${escape(visible(line.name) || line.address)}</bdi></b> <span style="font-family:monospace;color:#52606A">${escape(line.address)}</span></div>
<div style="margin:4px 0"><bdi>${escape(visible(line.subject))}</bdi></div>
<div style="font-size:13px;color:#52606A">${escape(line.reason)}</div>
${line.goesOn === undefined ? '' : `<div style="font-size:13px"><b>${escape(words.goesOn(line.goesOn))}</b></div>`}
${line.note === '' ? '' : `<div style="margin-top:4px"><b>${escape(words.note)}</b> ${escape(visible(line.note))}</div>`}
<div style="font-family:monospace;margin-top:4px">${escape(line.reference)}</div>
${line.links === null ? '' : linkRow(line.links, words.act)}</div>`
  const paragraph = (text: string) => (text === '' ? '' : `<p style="margin:0 0 14px">${escape(text)}</p>`)
  return `<!doctype html>
<html lang="${escape(input.language)}"><head><meta charset="utf-8"><meta name="viewport" content="width=device-width"><title>${escape(words.subject)}</title></head>
<body style="margin:0;padding:18px;font-family:system-ui,sans-serif;font-size:15px;line-height:1.5;color:#1E2A30;background:#FFFFFF;overflow-wrap:anywhere;word-break:break-word">
<div style="max-width:600px;overflow-wrap:anywhere;word-break:break-word">
${paragraph(words.greeting)}${paragraph(words.ending)}
${input.ending.map(block).join('\n')}
${paragraph(words.intro)}
${input.lines.map(block).join('\n')}
${paragraph(words.leftOut)}${words.ownPage === '' ? '' : `<p style="margin:0 0 14px">${escape(words.ownPage)} <a href="${escape(input.ownPage)}" style="color:#125A63">${escape(input.ownPage)}</a></p>`}<p style="margin:0 0 14px">${escape(words.fresh)}${input.freshPage === '' ? '' : ` <a href="${escape(input.freshPage)}" style="color:#125A63">${escape(input.freshPage)}</a>`}</p>${paragraph(words.help)}${paragraph(input.foot).replace('<p style="', '<p style="white-space:pre-line;')}
</div></body></html>
`
}

/** Room for a thumb on each; the one that most people want stands out. */
function linkRow(links: DigestLinks, words: DigestLinks): string {
  const link = (to: string, text: string, more: string) =>
    `<a href="${escape(to)}" style="display:inline-block;padding:8px 12px;margin:6px 6px 0 0;border:1px solid #125A63;border-radius:6px;text-decoration:none;${more}">${escape(text)}</a>`
  return [
    link(links.read, words.read, 'color:#125A63'),
    link(links.send, words.send, 'color:#FFFFFF;background:#125A63'),
    link(links.trust, words.trust, 'color:#125A63'),
    link(links.refuse, words.refuse, 'color:#7A2E5D;border-color:#7A2E5D'),
  ].join('\n')
}

/** 'en' alone would give American dates. */
const localeOf = (language: string) => (language === 'en' ? 'en-GB' : language)

const clock: Intl.DateTimeFormatOptions = {
  weekday: 'short',
  day: 'numeric',
  month: 'short',
  hour: '2-digit',
  minute: '2-digit',
  hourCycle: 'h23',
}
const calendar: Intl.DateTimeFormatOptions = { day: 'numeric', month: 'long' }

const formats = new Map<string, Intl.DateTimeFormat>()

/** Kept: making one takes longer than composing the line it is for. There are as many as languages and zones. */
function formatOf(
  form: 'clock' | 'calendar',
  { language, timeZone }: Pick<DigestInput, 'language' | 'timeZone'>,
): Intl.DateTimeFormat {
  const key = `${form} ${language} ${timeZone}`
  const format =
    formats.get(key) ??
    new Intl.DateTimeFormat(localeOf(language), { timeZone, ...(form === 'clock' ? clock : calendar) })
  formats.set(key, format)
  return format
}

const timeText = (time: number, input: DigestInput) => formatOf('clock', input).format(time)
const dayText = (time: number, input: DigestInput) => formatOf('calendar', input).format(time)

/**
 * Sender-made text without the characters that rearrange or hide what stands beside them: bidirectional
 * controls (UAX #9), zero-width characters and control codes.
 */
function visible(text: string): string {
  return (
    text
      // eslint-disable-next-line no-control-regex -- control characters are what is taken out
      .replace(/[\u0000-\u001f\u007f\u200b-\u200f\u2028-\u202e\u2060-\u2069\ufeff]/g, ' ')
      .replace(/\s+/g, ' ')
      .trim()
  )
}

function escape(text: string): string {
  return text.replace(/[&<>"']/g, c => `&#${c.charCodeAt(0)};`)
}
