/** What was typed, a value a line; blank lines are none. */
export const linesOf = (text: string): string[] =>
  text
    .split(/\r?\n/)
    .map(line => line.trim())
    .filter(line => line !== '')
