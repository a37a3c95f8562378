import type { z } from 'zod'
import type { readDoors } from '@pendro/contract'
import { adviceFor } from '@pendro/core/doors'
import { select, type Database } from '../db/database.ts'
import { organisationNow, usualRoutes, type Organisation } from '../db/organisation.ts'
import { endOfCertificate } from '../outbox/host.ts'
import { hostName } from '../outbox/secrets.ts'
import { wholeStore } from '../outbox/stores.ts'
import { countWaiting } from '../outbox/queue.ts'
import { storeRoute } from '../outbox/ways.ts'
import { dayIn, type DoorName } from '../traffic/traffic.ts'
import { X509Certificate } from 'node:crypto'
import type { Certificate } from './certificate.ts'
import type { DoorNow } from './doors.ts'
import { mayComeIn } from './peers.ts'

type Overview = z.input<typeof readDoors.response>
type Traffic = Pick<
  Overview['doors'][number],
  'taken' | 'refused' | 'later' | 'takenAt' | 'problemAt' | 'problem' | 'advice'
>

interface Around {
  readonly doors: readonly DoorNow[]
  readonly certificate: Certificate
  readonly store: { readonly host: string; readonly port: number }
  readonly now: Date
}

/** Longer without a word from its process, and a connection counts as gone. */
const goneAfter = 15_000
const mostVisits = 10

/** Doors and ways with what went through them today, added over all processes. */
export async function overview(db: Database, around: Around): Promise<Overview> {
  const { doors, certificate, store, now } = around
  const organisation = await organisationNow(db)
  const trafficOf = await readTraffic(db, organisation?.timeZone ?? 'UTC', now)
  const visits = await readVisits(db, organisation, now)
  const connected = await countConnected(db, now)
  const waiting = await countWaiting(db)
  return {
    doors: doors.map(({ name, port, isWanted }) => ({
      name,
      port,
      wanted: isWanted,
      connected: connected.get(name) ?? 0,
      ...trafficOf(name),
    })),
    ways: waysOf(organisation, store).map(({ route, purpose, name, domains }) => ({
      host: hostName(route),
      purpose,
      name,
      domains: [...domains],
      protocol: route.protocol,
      tls: route.tls,
      certificateUntil: endOfCertificate(route.certificate)?.toISOString() ?? null,
      ...trafficOf(hostName(route)),
    })),
    visits,
    certificate: told(certificate),
    waiting,
  }
}

function waysOf(organisation: Organisation | null, store: Around['store']) {
  const routes = organisation?.routes ?? usualRoutes
  const stores = routes.stores.map(wholeStore)
  const hasRest = stores.some(({ houses }) => houses === 'rest')
  return [
    ...routes.smartHosts.map(route => ({ route, purpose: 'smart-host' as const, name: '', domains: [] })),
    ...stores.flatMap(({ name, houses, domains, hosts }) =>
      hosts.map(route => ({ route, purpose: purposes[houses], name, domains })),
    ),
    ...(hasRest
      ? []
      : [{ route: storeRoute(store), purpose: 'store-of-rest' as const, name: '', domains: [] }]),
  ]
}

const purposes = { domains: 'store', rest: 'store-of-rest', named: 'store-named' } as const

const told = (certificate: Certificate): Overview['certificate'] => {
  if (certificate.state === 'off') return { state: 'off', problem: null, detail: '', until: null }
  if (certificate.state === 'bad')
    return { state: 'bad', problem: certificate.problem, detail: certificate.detail, until: null }
  const until = new Date(new X509Certificate(certificate.cert).validTo)
  return { state: 'good', problem: null, detail: '', until: until.toISOString() }
}

const none: Traffic = {
  taken: 0,
  refused: 0,
  later: 0,
  takenAt: null,
  problemAt: null,
  problem: '',
  advice: null,
}

async function readTraffic(db: Database, timeZone: string, now: Date): Promise<(door: string) => Traffic> {
  const rows = await select<{
    door: string
    taken: number | null
    refused: number | null
    later: number | null
    taken_at: Date | null
    problem_at: Date | null
    problem: string
  }>(
    db,
    `SELECT s.door, d.taken, d.refused, d.later, s.taken_at, s.problem_at, s.problem
     FROM door_states s LEFT JOIN door_days d ON d.door = s.door AND d.day = :day`,
    { day: dayIn(timeZone, now) },
  )
  const known = new Map(rows.map(row => [row.door, row]))
  return door => {
    const row = known.get(door)
    if (!row) return none
    return {
      taken: row.taken ?? 0,
      refused: row.refused ?? 0,
      later: row.later ?? 0,
      takenAt: row.taken_at?.toISOString() ?? null,
      problemAt: row.problem_at?.toISOString() ?? null,
      problem: row.problem,
      advice: row.problem === '' ? null : adviceFor(row.problem),
    }
  }
}

async function countConnected(db: Database, now: Date): Promise<ReadonlyMap<string, number>> {
  const rows = await select<{ door: string; n: number }>(
    db,
    'SELECT door, COUNT(*) AS n FROM door_connections WHERE ended_at IS NULL AND seen_at >= :since GROUP BY door',
    { since: new Date(now.getTime() - goneAfter) },
  )
  return new Map(rows.map(({ door, n }) => [door, n]))
}

async function readVisits(
  db: Database,
  organisation: Organisation | null,
  now: Date,
): Promise<Overview['visits']> {
  const rows = await select<{
    process: string
    n: number
    door: DoorName
    ip: string
    helo: string
    tls: string
    began_at: Date
    seen_at: Date
    ended_at: Date | null
    taken: number
    answer: string
  }>(
    db,
    `SELECT process, n, door, ip, helo, tls, began_at, seen_at, ended_at, taken, answer
     FROM door_connections ORDER BY began_at DESC, process, n DESC LIMIT ${mostVisits}`,
  )
  return rows.map(row => ({
    id: `${row.process}.${row.n}`,
    door: row.door,
    at: row.began_at.toISOString(),
    ip: row.ip,
    helo: row.helo,
    tls: row.tls,
    open: row.ended_at === null && row.seen_at.getTime() >= now.getTime() - goneAfter,
    taken: row.taken,
    answer: row.answer,
    listed: mayComeIn(organisation, row.door, row.ip),
  }))
}
