import {
  findCaution,
  findRefusal,
  planChange,
  type ProposedEntry,
  type RegisterChange,
} from '../rulings/index.ts'
import type { OrganisationPolicy } from '../judgement/index.ts'
import {
  isExpired,
  isOwner,
  patternText,
  type Owner,
  type SenderEntry,
  type Standing,
} from '../senders/index.ts'
import { findCover, sendingElsewhere, sortByText } from '../upkeep/index.ts'
import type { ListedEntry, LineProblem, ListLine } from './line.ts'

/** What becomes of one line. */
export type LineFate =
  | { readonly outcome: 'added'; readonly entry: ProposedEntry; readonly ends: SenderEntry | null }
  | { readonly outcome: 'there'; readonly by: SenderEntry | { readonly line: number } }
  | { readonly outcome: 'covered'; readonly by: SenderEntry }
  | { readonly outcome: 'contradicts'; readonly by: SenderEntry | { readonly line: number } }
  | {
      readonly outcome: 'refused'
      readonly problem:
        | LineProblem
        | { readonly code: 'shared-provider' | 'own-domain' | 'blocks-own-domain' | 'until-passed' }
    }

/** A line and what becomes of it. */
export interface FatedLine {
  readonly line: ListLine
  readonly fate: LineFate
}

/** Every line with its fate, and the change they make together. */
export interface ImportPlan {
  readonly lines: readonly FatedLine[]
  readonly change: RegisterChange
}

/** For whom a list is brought in, and what is there already. */
export interface ImportContext {
  readonly owner: Owner
  /** For lines that do not say it themselves. */
  readonly standing: Standing
  readonly register: readonly SenderEntry[]
  readonly policy: Pick<OrganisationPolicy, 'ownDomains' | 'sharedProviders'>
  /** Epoch ms. */
  readonly now: number
  /** Takes lines that contradict the owner's list; the entries they contradict end. */
  readonly takeContradicting: boolean
  /** Epoch ms at which a named last day is over. */
  readonly endOfDay: (day: string) => number
}

/** Says of each line of a list what would be added, is there already, is covered, contradicts or is refused. */
export function planImport(lines: readonly ListLine[], context: ImportContext): ImportPlan {
  const { register, owner, now } = context
  const live = register.filter(entry => !isExpired(entry, now))
  const byText = sortByText(live, now)
  const own = new Map(
    live.filter(entry => isOwner(entry.owner, owner)).map(entry => [keyOf(entry), entry] as const),
  )
  const otherwise = sendingElsewhere(live)
  const taken = new Map<string, number>()
  const fates = lines.map((line): FatedLine => ({ line, fate: fateOf(line) }))

  function fateOf({ line, entry }: ListLine): LineFate {
    if (!entry.ok) return { outcome: 'refused', problem: entry.problem }
    const proposed = propose(entry.value, context)
    if (proposed.until !== null && proposed.until <= now)
      return { outcome: 'refused', problem: { code: 'until-passed' } }
    const refusal = findRefusal(proposed, context.policy) ?? findCaution(proposed, context.policy)
    if (refusal !== null) return { outcome: 'refused', problem: { code: refusal } }
    const [same, other] = [keyOf(proposed), keyOf({ ...proposed, standing: opposed(proposed.standing) })]
    const [before, against] = [taken.get(same), taken.get(other)]
    if (before !== undefined) return { outcome: 'there', by: { line: before } }
    if (against !== undefined) return { outcome: 'contradicts', by: { line: against } }
    const there = own.get(same)
    if (there) return { outcome: 'there', by: there }
    const ends = own.get(other) ?? null
    if (ends !== null && !context.takeContradicting) return { outcome: 'contradicts', by: ends }
    const cover = ends === null ? findCover({ ...proposed, id: 0 }, byText, otherwise) : null
    if (cover !== null) return { outcome: 'covered', by: cover }
    taken.set(same, line)
    return { outcome: 'added', entry: proposed, ends }
  }

  const add = fates.flatMap(({ fate }) => (fate.outcome === 'added' ? [fate.entry] : []))
  const touched = fates.flatMap(({ fate }) => (fate.outcome === 'added' && fate.ends ? [fate.ends] : []))
  return { lines: fates, change: planChange(add, touched, now) }
}

const opposed = (standing: Standing): Standing => (standing === 'safe' ? 'blocked' : 'safe')

const keyOf = ({ standing, pattern }: Pick<ProposedEntry, 'standing' | 'pattern'>) =>
  `${standing} ${patternText(pattern)}`

function propose(
  { pattern, standing: said, until, withoutAuthentication }: ListedEntry,
  { owner, standing: usual, endOfDay }: ImportContext,
): ProposedEntry {
  const standing = said ?? usual
  return {
    pattern,
    standing,
    owner,
    binding: owner.kind === 'organisation' && standing === 'blocked',
    withoutAuthentication: standing === 'safe' && withoutAuthentication,
    until: until === null ? null : endOfDay(until),
  }
}
