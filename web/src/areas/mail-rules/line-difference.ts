import { diffLines } from 'diff'

/** A line of two texts: only the first has it, only the second, or both. */
export interface DifferentLine {
  readonly kind: 'there' | 'here' | 'both'
  readonly text: string
}

/** Differences looked for at most: what differs more is shown one after the other. Somebody else writes what is compared here. */
const mostEdits = 2000
/** Lines on both sides of a difference that are shown. */
const around = 3

/** What differs between two texts, with some lines around; a run of like lines in between is one line, "…". */
export function differenceOf(there: string, here: string): readonly DifferentLine[] {
  const parts = diffLines(there, here, { maxEditLength: mostEdits, timeout: 1000 })
  if (parts === undefined) return [...linesOf('there', there), ...linesOf('here', here)]
  return parts.flatMap((part, i) => {
    const kind = part.removed ? 'there' : part.added ? 'here' : 'both'
    const lines = linesOf(kind, part.value)
    return kind === 'both' ? shortened(lines, i === 0, i === parts.length - 1) : lines
  })
}

const linesOf = (kind: DifferentLine['kind'], text: string): readonly DifferentLine[] =>
  text
    .replace(/\n$/, '')
    .split('\n')
    .map(line => ({ kind, text: line }))

function shortened(
  lines: readonly DifferentLine[],
  isFirst: boolean,
  isLast: boolean,
): readonly DifferentLine[] {
  const [before, after] = [isFirst ? 0 : around, isLast ? 0 : around]
  if (lines.length <= before + after + 1) return lines
  const gap: DifferentLine = { kind: 'both', text: '…' }
  return [...lines.slice(0, before), gap, ...(after === 0 ? [] : lines.slice(-after))]
}
