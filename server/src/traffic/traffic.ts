import { randomUUID } from 'node:crypto'
import { execute, inTransaction, type Database, type Tx } from '../db/database.ts'
import { organisationNow } from '../db/organisation.ts'

/** What came of a message at a door, or on a way. */
export type Outcome = 'taken' | 'refused' | 'later'

/** Doors that mail comes in by; ways are called by their server. */
export type DoorName = 'incoming' | 'incoming-tls' | 'submission' | 'submission-tls'

/** Somebody who is connected. */
export interface Visitor {
  /** What is known of them by now. */
  readonly know: (facts: { readonly helo?: string; readonly tls?: string }) => void
  /** What they were told last that was no plain yes. */
  readonly told: (answer: string) => void
  readonly took: () => void
  readonly gone: () => void
}

/** Counts what doors and ways do, for people to look at. */
export interface Traffic {
  readonly count: (door: string, outcome: Outcome, problem?: string) => void
  readonly come: (door: DoorName, ip: string) => Visitor
  /** Writes down what there is; the number of rows. The work of a loop. */
  readonly write: () => Promise<number>
}

interface State {
  taken: number
  refused: number
  later: number
  takenAt: Date | null
  problemAt: Date | null
  problem: string
}

interface Connection {
  readonly n: number
  readonly door: DoorName
  readonly ip: string
  readonly beganAt: Date
  helo: string
  tls: string
  answer: string
  taken: number
  endedAt: Date | null
  written: boolean
}

/** Connections written at a time; of a flood the newest are enough to see it. */
const mostWritten = 20
/** Milliseconds after which somebody who is still connected is said to be so again. */
const seenEvery = 5000

const nothingYet = (): State => ({
  taken: 0,
  refused: 0,
  later: 0,
  takenAt: null,
  problemAt: null,
  problem: '',
})

/** For one process; what others count is added in the tables. */
export function createTraffic(db: Database, now: () => Date): Traffic {
  const process = randomUUID()
  let states = new Map<string, State>()
  const visitors = createVisitors(now)
  const stateOf = (door: string): State => {
    const known = states.get(door) ?? nothingYet()
    states.set(door, known)
    return known
  }
  return {
    count: (door, outcome, problem = '') => {
      const state = stateOf(door.slice(0, 300))
      state[outcome] += 1
      if (outcome === 'taken') state.takenAt = now()
      else Object.assign(state, { problemAt: now(), problem: problem.slice(0, 500) })
    },
    come: visitors.come,
    write: async () => {
      const at = now()
      const counted = states
      states = new Map()
      const some = visitors.due(at)
      if (counted.size === 0 && some.length === 0) return 0
      try {
        await inTransaction(db, async tx => {
          await writeStates(db, tx, counted, at)
          for (const one of some) await writeConnection(db, tx, process, one, at)
        })
      } catch (error) {
        for (const [door, state] of counted) addBack(stateOf(door), state)
        throw error
      }
      for (const one of some) one.written = true
      return counted.size + some.length
    },
  }
}

interface Visitors {
  readonly come: Traffic['come']
  /** Of whom something is to be written now; those that are gone are forgotten by that. */
  readonly due: (at: Date) => readonly Connection[]
}

function createVisitors(now: () => Date): Visitors {
  const connections = new Map<number, Connection>()
  let number = 0
  let seenAt = 0
  return {
    come: (door, ip) => {
      number += 1
      const connection: Connection = {
        n: number,
        door,
        ip: ip.slice(0, 45),
        beganAt: now(),
        helo: '',
        tls: '',
        answer: '',
        taken: 0,
        endedAt: null,
        written: false,
      }
      connections.set(connection.n, connection)
      return {
        know: facts => void Object.assign(connection, facts),
        told: answer => {
          connection.answer = answer.slice(0, 500)
        },
        took: () => {
          connection.taken += 1
        },
        gone: () => {
          connection.endedAt = now()
        },
      }
    },
    due: at => {
      const isDue = at.getTime() - seenAt >= seenEvery || at.getTime() < seenAt
      if (isDue) seenAt = at.getTime()
      const all = [...connections.values()].filter(one => !one.written || one.endedAt !== null || isDue)
      for (const one of all) if (one.endedAt !== null) connections.delete(one.n)
      // Of a flood those that are past and were never written go unseen.
      return [...all.filter(one => one.written), ...all.filter(one => !one.written).slice(-mostWritten)]
    },
  }
}

function addBack(state: State, was: State): void {
  state.taken += was.taken
  state.refused += was.refused
  state.later += was.later
  state.takenAt ??= was.takenAt
  if (state.problemAt === null) Object.assign(state, { problemAt: was.problemAt, problem: was.problem })
}

async function writeStates(
  db: Database,
  tx: Tx,
  states: ReadonlyMap<string, State>,
  at: Date,
): Promise<void> {
  if (states.size === 0) return
  const zone = (await organisationNow(db, tx))?.timeZone ?? 'UTC'
  // In one order everywhere, so that two processes wait for each other instead of deadlocking.
  for (const [door, state] of [...states].sort(([a], [b]) => (a < b ? -1 : 1))) {
    const { taken, refused, later, takenAt, problemAt, problem } = state
    await execute(
      db,
      `INSERT INTO door_days (door, day, taken, refused, later) VALUES (:door, :day, :taken, :refused, :later)
       ON DUPLICATE KEY UPDATE taken = taken + VALUES(taken), refused = refused + VALUES(refused), later = later + VALUES(later)`,
      { door, day: dayIn(zone, at), taken, refused, later },
      tx,
    )
    await execute(
      db,
      `INSERT INTO door_states (door, taken_at, problem_at, problem) VALUES (:door, :takenAt, :problemAt, :problem)
       ON DUPLICATE KEY UPDATE taken_at = COALESCE(VALUES(taken_at), taken_at), problem = IF(VALUES(problem_at) IS NULL, problem, VALUES(problem)),
         problem_at = COALESCE(VALUES(problem_at), problem_at)`,
      { door, takenAt, problemAt, problem },
      tx,
    )
  }
}

/** The day it is somewhere, as SQL has it. */
export const dayIn = (timeZone: string, at: Date): string =>
  new Intl.DateTimeFormat('en-CA', { timeZone, year: 'numeric', month: '2-digit', day: '2-digit' }).format(at)

async function writeConnection(
  db: Database,
  tx: Tx,
  process: string,
  { n, door, ip, helo, tls, beganAt, endedAt, taken, answer }: Connection,
  at: Date,
): Promise<void> {
  await execute(
    db,
    `INSERT INTO door_connections (process, n, door, ip, helo, tls, began_at, seen_at, ended_at, taken, answer)
     VALUES (:process, :n, :door, :ip, :helo, :tls, :beganAt, :at, :endedAt, :taken, :answer)
     ON DUPLICATE KEY UPDATE helo = VALUES(helo), tls = VALUES(tls), seen_at = VALUES(seen_at), ended_at = VALUES(ended_at),
       taken = VALUES(taken), answer = VALUES(answer)`,
    {
      process,
      n,
      door,
      ip,
      helo: helo.slice(0, 255),
      tls: tls.slice(0, 40),
      beganAt,
      at,
      endedAt,
      taken,
      answer,
    },
    tx,
  )
}
