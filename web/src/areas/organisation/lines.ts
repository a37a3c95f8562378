/** What was typed, a value a line; blank lines are none. */
export const linesOf = (text: string): string[] =>
  text
    .split(/\r?\n/)
    .map(line => line.trim())
    .filter(line => line !== '')

/** With the line at a place one further up; the first one stays. */
export const movedUp = <T>(lines: readonly T[], at: number): T[] =>
  lines.map((line, i) => (i === at ? lines[at - 1] : i === at - 1 ? lines[at] : line) ?? line)
