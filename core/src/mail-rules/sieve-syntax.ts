import { no, yes, type Parsed } from '../address/parsed.ts'

/** An argument of RFC 5228 §2.6: a tag, a number, or strings. */
export type SieveArgument =
  | { readonly kind: 'tag'; readonly tag: string }
  | { readonly kind: 'number'; readonly number: number }
  | { readonly kind: 'strings'; readonly strings: readonly string[] }

/** A test (§5) with the tests within it. `line` counts from 1. */
export interface SieveTest {
  readonly name: string
  readonly arguments: readonly SieveArgument[]
  readonly tests: readonly SieveTest[]
  readonly line: number
}

/** A command (§2.9); `block` is `null` for one that ends with a semicolon. */
export interface SieveCommand extends SieveTest {
  readonly block: readonly SieveCommand[] | null
}

/** Why a script can't be read, and where. */
export interface SieveProblem {
  readonly code: 'too-long' | 'too-deep' | 'unexpected' | 'unfinished'
  readonly line: number
  /** What stands there, cut short. */
  readonly text: string
}

/** More than any script people write: 1 MB is a bomb. */
export const longestScript = 200_000
const deepest = 15
const mostTokens = 60_000

type Token =
  | { readonly kind: 'word' | 'tag' | 'string' | 'mark'; readonly text: string; readonly line: number }
  | { readonly kind: 'number'; readonly number: number; readonly text: string; readonly line: number }

/** Reads a script by the grammar of RFC 5228 §8. Takes time in proportion to its length. */
export function parseSieve(script: string): Parsed<readonly SieveCommand[], SieveProblem> {
  if (script.length > longestScript) return no({ code: 'too-long', line: 1, text: '' })
  const tokens = tokensOf(script)
  if (!tokens.ok) return tokens
  return new Reader(tokens.value).script()
}

// §8.1: comments, strings, multi-line texts, tags, identifiers, numbers with K, M or G, and single marks.
const tokenPattern =
  /(?<space>\s+|#[^\n]*(?:\n|$)|\/\*[^]*?\*\/)|"(?<string>(?:[^"\\]|\\[^])*)"|text:[ \t]*(?:#[^\n]*)?\r?\n(?<multi>(?:(?!\.\r?\n)[^\n]*\n)*)\.(?:\r?\n|$)|:(?<tag>[a-z_]\w*)|(?<word>[a-z_]\w*)|(?<number>\d{1,10})(?<unit>[KMG]?)|(?<mark>[;,()[\]{}])/iy
const units: Readonly<Record<string, number>> = { '': 1, K: 1024, M: 1024 ** 2, G: 1024 ** 3 }

function tokensOf(script: string): Parsed<readonly Token[], SieveProblem> {
  const tokens: Token[] = []
  const pattern = new RegExp(tokenPattern.source, tokenPattern.flags)
  let [at, line] = [0, 1]
  while (at < script.length) {
    pattern.lastIndex = at
    const match = pattern.exec(script)
    if (!match?.groups)
      return no({ code: 'unexpected', line, text: script.slice(at, at + 20).split('\n')[0] ?? '' })
    const { string, multi, tag, word, number, unit = '', mark } = match.groups
    if (string !== undefined) tokens.push({ kind: 'string', text: string.replace(/\\([^])/g, '$1'), line })
    else if (multi !== undefined)
      // §2.4.2: dots are doubled at the beginning of a line.
      tokens.push({ kind: 'string', text: multi.replace(/^\.\./gm, '.').replace(/\r?\n$/, ''), line })
    else if (tag !== undefined) tokens.push({ kind: 'tag', text: tag.toLowerCase(), line })
    else if (word !== undefined) tokens.push({ kind: 'word', text: word.toLowerCase(), line })
    else if (number !== undefined)
      tokens.push({
        kind: 'number',
        text: number,
        number: Number(number) * (units[unit.toUpperCase()] ?? 1),
        line,
      })
    else if (mark !== undefined) tokens.push({ kind: 'mark', text: mark, line })
    if (tokens.length > mostTokens) return no({ code: 'too-long', line, text: '' })
    for (let i = at; i < pattern.lastIndex; i += 1) if (script.charCodeAt(i) === 10) line += 1
    at = pattern.lastIndex
  }
  return yes(tokens)
}

class Unreadable extends Error {
  readonly problem: SieveProblem
  constructor(problem: SieveProblem) {
    super(problem.code)
    this.problem = problem
  }
}

/** Reads tokens from the front. What it can't read it throws; `script` gives that back as a value. */
class Reader {
  private at = 0
  private readonly tokens: readonly Token[]
  constructor(tokens: readonly Token[]) {
    this.tokens = tokens
  }

  script(): Parsed<readonly SieveCommand[], SieveProblem> {
    try {
      const commands: SieveCommand[] = []
      while (this.at < this.tokens.length) commands.push(this.command(0))
      return yes(commands)
    } catch (error) {
      if (error instanceof Unreadable) return no(error.problem)
      throw error
    }
  }

  private command(depth: number): SieveCommand {
    const { name, line, rest } = this.named(depth)
    if (this.takes(';')) return { name, line, ...rest, block: null }
    if (!this.takes('{')) throw this.unexpected()
    const block: SieveCommand[] = []
    while (!this.takes('}')) block.push(this.command(depth + 1))
    return { name, line, ...rest, block }
  }

  private named(depth: number) {
    if (depth > deepest)
      throw new Unreadable({ code: 'too-deep', line: this.tokens[this.at]?.line ?? 1, text: '' })
    const token = this.tokens[this.at]
    if (token?.kind !== 'word') throw this.unexpected()
    this.at += 1
    const args = this.argumentList()
    return {
      name: token.text,
      line: token.line,
      rest: { arguments: args, tests: this.testList(depth + 1) },
    }
  }

  private testList(depth: number): readonly SieveTest[] {
    if (this.tokens[this.at]?.kind === 'word') return [this.test(depth)]
    if (!this.takes('(')) return []
    const tests = [this.test(depth)]
    while (this.takes(',')) tests.push(this.test(depth))
    if (!this.takes(')')) throw this.unexpected()
    return tests
  }

  private test(depth: number): SieveTest {
    const { name, line, rest } = this.named(depth)
    return { name, line, ...rest }
  }

  private argumentList(): readonly SieveArgument[] {
    const found: SieveArgument[] = []
    for (;;) {
      const token = this.tokens[this.at]
      if (token?.kind === 'tag') found.push({ kind: 'tag', tag: token.text })
      else if (token?.kind === 'number') found.push({ kind: 'number', number: token.number })
      else if (token?.kind === 'string') found.push({ kind: 'strings', strings: [token.text] })
      else if (token?.kind === 'mark' && token.text === '[') {
        found.push({ kind: 'strings', strings: this.stringList() })
        continue
      } else return found
      this.at += 1
    }
  }

  private stringList(): readonly string[] {
    this.at += 1
    const strings: string[] = []
    do {
      const token = this.tokens[this.at]
      if (token?.kind !== 'string') throw this.unexpected()
      strings.push(token.text)
      this.at += 1
    } while (this.takes(','))
    if (!this.takes(']')) throw this.unexpected()
    return strings
  }

  private takes(mark: string): boolean {
    const token = this.tokens[this.at]
    if (token?.kind !== 'mark' || token.text !== mark) return false
    this.at += 1
    return true
  }

  private unexpected(): Unreadable {
    const token = this.tokens[this.at]
    return new Unreadable(
      token
        ? { code: 'unexpected', line: token.line, text: token.text.slice(0, 20) }
        : { code: 'unfinished', line: this.tokens.at(-1)?.line ?? 1, text: '' },
    )
  }
}
