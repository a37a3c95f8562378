import type { Parsed } from '../address/index.ts'
import type { PatternProblem, SenderPattern, Standing } from '../senders/index.ts'

/** A form lists come in. */
export type ListFormat = 'text' | 'csv' | 'json' | 'vcard' | 'sieve'

/** An entry as a list names it; what a list does not say is `null`. */
export interface ListedEntry {
  readonly pattern: SenderPattern
  readonly standing: Standing | null
  readonly reason: string
  /** The last day it counts, 'YYYY-MM-DD'. */
  readonly until: string | null
  readonly withoutAuthentication: boolean
}

/** Why a line can't be taken. */
export type LineProblem =
  | PatternProblem
  | { readonly code: 'bad-standing'; readonly text: string }
  | { readonly code: 'bad-date'; readonly text: string }
  | { readonly code: 'bad-card'; readonly text: string }
  | { readonly code: 'changed-by-hand' }
  | { readonly code: 'no-text' }

/** One entry of a list as it was found there. */
export interface ListLine {
  /** Counted from 1; of JSON, the place in the list. */
  readonly line: number
  /** From 0; above it when a line names several senders. */
  readonly part: number
  /** As it stands in the list, shortened to 400 characters. */
  readonly typed: string
  readonly entry: Parsed<ListedEntry, LineProblem>
}

/** Why nothing of a file can be read. */
export type FileProblem =
  | { readonly code: 'binary'; readonly at: number }
  | { readonly code: 'empty' }
  | { readonly code: 'bad-json'; readonly text: string }

/** A line as it is told back, cut to a length that fits a row. */
export const shorten = (text: string) => (text.length > 400 ? `${text.slice(0, 399)}…` : text)
