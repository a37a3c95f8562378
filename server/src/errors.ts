import { problems, type ProblemCode } from '@pendro/contract'

/** An error the client is told: a code of the catalogue, its sentence or a better one, and facts. */
export class AppError extends Error {
  readonly code: ProblemCode
  readonly facts: Readonly<Record<string, unknown>>

  constructor(code: ProblemCode, text?: string, facts: Readonly<Record<string, unknown>> = {}) {
    super(text ?? problems[code].text)
    this.code = code
    this.facts = facts
  }

  get status(): number {
    return problems[this.code].status
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
