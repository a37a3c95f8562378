import { problems, type ProblemCode, type ProblemFacts } from '@pendro/contract'
import { translator } from './wording.ts'

/** Facts may be left out where the sentence has no blanks. */
type Given<C extends ProblemCode> =
  Record<never, never> extends ProblemFacts<C> ? [facts?: ProblemFacts<C>] : [facts: ProblemFacts<C>]

/** Facts that are codes, and where their words are. */
const worded = { state: 'state', problem: 'pattern' } as const

/** An error the client is told: a code of the catalogue, and facts, one at least for each blank of its sentence. */
export class AppError<C extends ProblemCode = ProblemCode> extends Error {
  readonly code: C
  readonly facts: Readonly<Record<string, unknown>>

  constructor(code: C, ...[facts]: Given<C>) {
    super(code)
    this.code = code
    this.facts = facts ?? {}
  }

  get status(): number {
    return problems[this.code].status
  }

  /** The whole sentence, in English. */
  get text(): string {
    const t = translator('en')
    const facts = { ...this.facts } as Record<string, string | number>
    const words = Object.entries(worded).flatMap(([name, at]) =>
      facts[name] === undefined ? [] : [[name, t(`${at}.${facts[name]}`, facts)]],
    )
    return t(`problem.${this.code}`, { ...facts, ...Object.fromEntries(words) })
  }
}

const awayCodes: ReadonlySet<string> = new Set([
  'SequelizeConnectionRefusedError',
  'SequelizeConnectionError',
  'SequelizeConnectionAcquireTimeoutError',
  'SequelizeHostNotReachableError',
  'SequelizeConnectionTimedOutError',
])

/** Whether the database could not be reached, as against having refused a statement. */
export function isDatabaseAway(error: unknown): boolean {
  if (!(error instanceof Error)) return false
  if (awayCodes.has(error.name)) return true
  const parent = (error as { parent?: { errno?: number; code?: string; fatal?: boolean } }).parent
  // 45xxx are the connector's own: socket closed, pool has no connection. 1047: a Galera node without quorum.
  return (
    parent !== undefined &&
    (parent.fatal === true || (parent.errno ?? 0) >= 45000 || parent.errno === 1047 || parent.errno === 1927)
  )
}
