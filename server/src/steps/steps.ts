import { stepNames, type StepName, type StepShape } from '@pendro/contract'
import { execute, findRow, inTransaction, select, type Database } from '../db/database.ts'
import { organisationNow } from '../db/organisation.ts'

interface Counts {
  readonly people: number
  readonly store: number
  readonly outgoing: number
  readonly learning: number
  readonly staffers: number
  readonly visits: number
}

/** How each step stands, by what there is. */
export async function stepsOf(
  db: Database,
): Promise<{ readonly steps: StepShape[]; readonly closed: boolean }> {
  const organisation = await organisationNow(db)
  const { skipped = [], closed = false } = organisation?.steps ?? {}
  const counts = await findRow<Counts>(
    db,
    `SELECT (SELECT COUNT(*) FROM mailboxes WHERE closed_at IS NULL) AS people,
       (SELECT COUNT(*) FROM door_states WHERE taken_at IS NOT NULL AND door LIKE '%:%') AS store,
       (SELECT COUNT(*) FROM (SELECT id FROM messages WHERE direction = 'out' LIMIT 1) o) AS outgoing,
       (SELECT CAST(COALESCE(SUM(taken), 0) AS SIGNED) FROM history_runs WHERE state <> 'undone') AS learning,
       (SELECT COUNT(*) FROM staffers WHERE suspended_at IS NULL AND NOT is_program) AS staffers,
       (SELECT COUNT(*) FROM door_states WHERE taken_at IS NOT NULL AND door LIKE 'incoming%') AS visits`,
  )
  const gateways = organisation?.policy.gateways?.length ?? 0
  const found: Readonly<Record<StepName, readonly [isDone: boolean, count: number]>> = {
    domains: [(organisation?.policy.ownDomains.length ?? 0) > 0, organisation?.policy.ownDomains.length ?? 0],
    people: [(counts?.people ?? 0) > 1, counts?.people ?? 0],
    // A gateway that is listed and one that has handed mail over: by both, mail comes in and its word counts.
    doors: [gateways > 0 && (counts?.visits ?? 0) > 0, gateways],
    store: [(counts?.store ?? 0) > 0, counts?.store ?? 0],
    outgoing: [(counts?.outgoing ?? 0) > 0, counts?.outgoing ?? 0],
    learning: [(counts?.learning ?? 0) > 0, counts?.learning ?? 0],
    staffers: [(counts?.staffers ?? 0) > 1, counts?.staffers ?? 0],
    holding: [organisation?.watching !== true, 0],
  }
  return {
    closed,
    steps: stepNames.map(name => {
      const [isDone, count] = found[name]
      return { name, state: isDone ? 'done' : skipped.includes(name) ? 'skipped' : 'open', count }
    }),
  }
}

interface StepsChange {
  readonly skip?: StepName | undefined
  readonly comeBackTo?: StepName | undefined
  readonly closed?: boolean | undefined
}

/** Notes what is left out; no setting changes by it. */
export async function changeStepsOf(db: Database, { skip, comeBackTo, closed }: StepsChange): Promise<void> {
  await inTransaction(db, async tx => {
    await select(db, 'SELECT id FROM organisation WHERE id = 1 FOR UPDATE', {}, tx)
    const { skipped = [], closed: was = false } = (await organisationNow(db, tx))?.steps ?? {}
    const left = [...skipped.filter(name => name !== comeBackTo && name !== skip), ...(skip ? [skip] : [])]
    await execute(
      db,
      "UPDATE organisation SET settings = JSON_SET(settings, '$.steps', JSON_COMPACT(:steps)) WHERE id = 1",
      { steps: JSON.stringify({ skipped: left, closed: closed ?? was }) },
      tx,
    )
  })
}
