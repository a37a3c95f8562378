/** A statement with `$1`, `$2` … in place of its values, and the values in that order. */
export interface Bound {
  readonly sql: string
  readonly bind: readonly unknown[]
}

/** A statement's text between its names, and the names: one text more than names. */
interface Parts {
  readonly texts: readonly string[]
  readonly names: readonly string[]
}

/** Texts in quotes, which are passed over, or a name: `:name` where a value may begin. */
const quotedOrName = /'(?:[^'\\]|\\.|'')*'|"(?:[^"\\]|\\.)*"|`[^`]*`|(?<![\w:]):([a-z_]\w*)/gi

const known = new Map<string, Parts>()
/** Statements are few and written in the code; those made for a number of rows come and go. */
const mostKnown = 2000

function partsOf(sql: string): Parts {
  const found = known.get(sql)
  if (found) return found
  const texts: string[] = []
  const names: string[] = []
  let from = 0
  for (const { 0: match, 1: name, index } of sql.matchAll(quotedOrName)) {
    if (name === undefined) continue
    texts.push(sql.slice(from, index))
    names.push(name)
    from = index + match.length
  }
  texts.push(sql.slice(from))
  if (known.size >= mostKnown) known.clear()
  const parts = { texts, names }
  known.set(sql, parts)
  return parts
}

/**
 * Puts values where `:name` stands; a list becomes as many values, parted by commas. Values go to the driver as they are:
 * writing them into the text here costs several times as much, most of all for bytes and times.
 * @throws {RangeError} for a name without a value, and for an empty list, which SQL has no way to write.
 */
export function bound(sql: string, values: Readonly<Record<string, unknown>>): Bound {
  const { texts, names } = partsOf(sql)
  const bind: unknown[] = []
  let text = texts[0] ?? ''
  names.forEach((name, i) => {
    const value = values[name]
    if (value === undefined) throw new RangeError(`No value for :${name} in ${sql.slice(0, 200)}`)
    if (Array.isArray(value) && value.length === 0)
      throw new RangeError(`An empty list for :${name} in ${sql.slice(0, 200)}`)
    const list: readonly unknown[] = Array.isArray(value) ? value : [value]
    text += list.map(one => `$${bind.push(one)}`).join(',') + (texts[i + 1] ?? '')
  })
  return { sql: text, bind }
}
