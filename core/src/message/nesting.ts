import { Parser } from 'htmlparser2'

/** Elements inside each other: honest mail has some thirty, layout tables included (common practice). */
const deepest = 120
const longest = 3_000_000

interface Cut {
  readonly from: number
  readonly to: number
}

/**
 * A parser that never has more than `deepest` elements open: tags beyond are not told to it, and where they stand is
 * noted. It asks the parser itself how deep it is, so nothing that only looks like a closing tag (in a comment, in an
 * attribute, of an element that is not open) can make it believe it is less deep.
 */
class CappedParser extends Parser {
  readonly cuts: Cut[] = []
  private depth = 0
  /** Where the tag begins that is being left out; `null` outside one. */
  private leftOutFrom: number | null = null
  /** Names of the elements left out that are still open, so that their closing tags go, too. */
  private leftOut = new Map<string, number>()

  constructor(private readonly text: string) {
    super({
      onopentag: (name: string) => {
        if (!this.isVoidElement(name)) this.depth += 1
      },
      onclosetag: (name: string) => {
        if (this.isVoidElement(name)) return
        this.depth -= 1
        this.leftOut.clear()
      },
    })
  }

  override onopentagname(start: number, end: number) {
    const name = this.text.slice(start, end).toLowerCase()
    if (this.depth < deepest || this.isVoidElement(name)) return super.onopentagname(start, end)
    this.leftOutFrom = start - 1
    this.leftOut.set(name, (this.leftOut.get(name) ?? 0) + 1)
  }
  override onopentagend(end: number) {
    if (!this.endCut(end)) super.onopentagend(end)
  }
  override onselfclosingtag(end: number) {
    if (!this.endCut(end)) super.onselfclosingtag(end)
  }
  override onclosetag(start: number, end: number) {
    const name = this.text.slice(start, end).toLowerCase()
    const open = this.leftOut.get(name) ?? 0
    if (open === 0) return super.onclosetag(start, end)
    this.leftOut.set(name, open - 1)
    const close = this.text.indexOf('>', end)
    this.cuts.push({ from: start - 2, to: close < 0 ? this.text.length : close + 1 })
  }

  private endCut(end: number): boolean {
    if (this.leftOutFrom === null) return false
    this.cuts.push({ from: this.leftOutFrom, to: end + 1 })
    this.leftOutFrom = null
    return true
  }
}

/**
 * HTML whose elements are not nested deeper than a parser should be asked to go: tags beyond the depth are left out, their
 * text stays. Parsers keep a stack, and some move all of it for each tag: 60,000 open elements took 7 s. What is taken
 * out here only makes less of it active, and everything is sanitised afterwards.
 */
export function capNesting(html: string): string {
  const text = html.length > longest ? html.slice(0, longest) : html
  if (!hasManyTags(text)) return text
  const parser = new CappedParser(text)
  parser.end(text)
  let from = 0
  let kept = ''
  for (const cut of parser.cuts) {
    // Words on both sides of a tag stay two.
    kept += `${text.slice(from, cut.from)} `
    from = cut.to
  }
  return kept + text.slice(from)
}

/** Whether there are enough tags to be too deep at all; most mail has not, and is spared the parser. */
// Stryker disable next-line all: a parser that meets nothing deep gives the text as it is, later
const hasManyTags = (text: string): boolean => text.split('<', deepest + 2).length > deepest + 1
