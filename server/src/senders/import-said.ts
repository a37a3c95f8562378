import type { EntryBrief, Said } from '@pendro/contract'
import type { FatedLine, FileProblem } from '@pendro/core/lists'

/** Why nothing of a file was read: a code of `listFile` in the wording. */
export function sayFileProblem(problem: FileProblem): Said {
  switch (problem.code) {
    case 'empty':
      return say('empty')
    case 'binary':
      return say('binary', { byte: problem.at + 1 })
    case 'bad-json':
      return say('bad-json', { text: problem.text.slice(0, 300) })
  }
}

/** What is said of one line: a code of `listLine` or `pattern` in the wording, or nothing. */
export function sayWhy({ fate }: FatedLine, shown: ReadonlyMap<number, EntryBrief>): Said | null {
  switch (fate.outcome) {
    case 'added':
      return fate.ends === null ? null : say('ends')
    case 'there':
      return 'line' in fate.by ? say('there-line', { line: fate.by.line }) : say('there-entry')
    case 'covered':
      return say('covered', { entry: nameOf(fate.by.id, shown) })
    case 'contradicts':
      return 'line' in fate.by
        ? say('contradicts-line', { line: fate.by.line })
        : say('contradicts-entry', { entry: nameOf(fate.by.id, shown) })
    case 'refused': {
      const { code, ...facts } = fate.problem
      return say(code, facts)
    }
  }
}

export const say = (code: string, facts: Said['facts'] = {}): Said => ({ code, facts })

function nameOf(id: number, shown: ReadonlyMap<number, EntryBrief>): string {
  const entry = shown.get(id)
  if (!entry) return '…'
  return entry.mailboxId === null ? entry.pattern : `${entry.pattern} (${entry.keptBy})`
}
