import ICAL from 'ical.js'
import { no, yes } from '../address/index.ts'
import { parsePattern } from '../senders/index.ts'
import { shorten, type ListLine } from './line.ts'
import { oneLine } from './text.ts'
import { tidyPattern } from './tidy.ts'

/** Every address of every contact (RFC 6350 §6.4.2), with the contact's name as the reason. */
export function* readVcards(text: string): Generator<ListLine> {
  const lines = text.split(/\r\n|\n|\r/)
  let start = -1
  for (const [i, line] of lines.entries()) {
    if (/^BEGIN:VCARD\s*$/i.test(line)) {
      // A card that never ended is told before the next one begins.
      if (start >= 0) yield broken(start, lines[start + 1] ?? '')
      start = i
    } else if (/^END:VCARD\s*$/i.test(line) && start >= 0) {
      yield* readCard(lines.slice(start, i + 1), start)
      start = -1
    }
  }
  if (start >= 0) yield broken(start, lines[start + 1] ?? '')
}

function* readCard(lines: readonly string[], start: number): Generator<ListLine> {
  let card: ICAL.Component
  try {
    card = new ICAL.Component(ICAL.parse(lines.join('\r\n')) as unknown[] as never)
  } catch {
    yield broken(start, lines.find(line => /^FN/i.test(line)) ?? '')
    return
  }
  const name = oneLine(String(card.getFirstPropertyValue('fn') ?? ''))
  for (const [part, property] of card.getAllProperties('email').entries()) {
    const typed = String(property.getFirstValue() ?? '')
    const pattern = parsePattern(tidyPattern(typed))
    yield {
      line: start + 1,
      part,
      typed: shorten(name === '' ? typed : `${name} <${typed}>`),
      entry: pattern.ok
        ? yes({
            pattern: pattern.value,
            standing: 'safe',
            reason: name,
            until: null,
            withoutAuthentication: false,
          })
        : no(pattern.problem),
    }
  }
}

const broken = (start: number, text: string): ListLine => ({
  line: start + 1,
  part: 0,
  typed: shorten(text),
  entry: no({ code: 'bad-card', text: shorten(text) }),
})
