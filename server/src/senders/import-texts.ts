import { patternProblemText, type EntryBrief } from '@pendro/contract'
import type { FatedLine, FileProblem, LineFate } from '@pendro/core/lists'

/** Why nothing of a file was read, and what would do. */
export function fileProblemText(problem: FileProblem): string {
  switch (problem.code) {
    case 'empty':
      return 'There is nothing in this file.'
    case 'binary':
      return `This is no list: byte ${problem.at + 1} can’t stand in a text. Save a spreadsheet as CSV first.`
    case 'bad-json':
      return `This can’t be read as JSON: ${problem.text}. Expected is a list of texts, or of objects with “pattern”.`
  }
}

/** What is said of one line. */
export function whyText({ fate }: FatedLine, shown: ReadonlyMap<number, EntryBrief>): string {
  switch (fate.outcome) {
    case 'added':
      return fate.ends === null ? '' : 'The opposite entry of this list ends.'
    case 'there':
      return 'line' in fate.by ? `The same as line ${fate.by.line}.` : 'The list has this entry already.'
    case 'covered':
      return `Would change nothing: ${nameOf(fate.by.id, shown)} decides already.`
    case 'contradicts':
      return 'line' in fate.by
        ? `Says the opposite of line ${fate.by.line}.`
        : `Says the opposite of ${nameOf(fate.by.id, shown)}.`
    case 'refused':
      return refusalText(fate.problem)
  }
}

function nameOf(id: number, shown: ReadonlyMap<number, EntryBrief>): string {
  const entry = shown.get(id)
  if (!entry) return 'an entry'
  return `${entry.pattern} (${entry.standing}, ${entry.mailboxId === null ? 'organisation' : entry.keptBy})`
}

function refusalText(problem: Extract<LineFate, { outcome: 'refused' }>['problem']): string {
  switch (problem.code) {
    case 'shared-provider':
      return 'Anyone can have an address at this provider. If you mean it, a steward adds it by hand, with a reason.'
    case 'own-domain':
      return 'This is one of our own domains. If you mean it, a steward adds it by hand, with a reason.'
    case 'blocks-own-domain':
      return 'This would keep back the organisation’s own mail.'
    case 'until-passed':
      return 'Its last day has passed.'
    case 'bad-standing':
      return `“${problem.text}” is no standing; it is safe or blocked.`
    case 'bad-date':
      return `“${problem.text}” is no day; write it as 2026-12-31.`
    case 'bad-card':
      return 'This contact can’t be read: it is not a complete vCard.'
    case 'changed-by-hand':
      return 'This rule no longer does what its note says; it was changed by hand. Add it here by hand, too.'
    case 'no-text':
      return 'There is no “pattern” in it.'
    default:
      return patternProblemText(problem)
  }
}
