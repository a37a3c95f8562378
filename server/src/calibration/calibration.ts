import type { CalibrationShape as Calibration } from '@pendro/contract'
import { brierScore, logLoss, reliability, rocArea, teachesMost, type Judged } from '@pendro/core/calibration'
import { boundOf } from '@pendro/core/judgement'
import { findRow, select, type Database } from '../db/database.ts'
import { undecidedSql } from '../deliveries/states-sql.ts'
import { readOrganisation, usualOf } from '../db/organisation.ts'
import type { Scope } from '../db/scope.ts'
import type { SignedIn } from '../sign-in/sessions.ts'
import { AppError } from '../errors.ts'
import { weightsInUse } from '../judging/weights.ts'
import { readDefaultsOf } from '../mailboxes/defaults.ts'
import { readDrift } from './drift.ts'
import {
  areTheirs,
  isEverybodys,
  isTheirs,
  readEvidenceUse,
  readRuled,
  withMailbox,
  type Of,
  type Ruled,
  type Whose,
} from './ruled.ts'
import { readWeights } from './weights.ts'

const day = 86_400_000
const toJudged = ({ score, isJunk }: Ruled): Judged => ({ said: score / 100, isJunk })

/** Which mail is looked at; '' for everybody's. */
interface Asked {
  readonly days: number
  readonly department: string
}

export const ofAsked = ({ days, department }: Asked, scope: Scope, now: Date): Of => ({
  since: new Date(now.getTime() - days * day),
  department,
  scope,
})

/** Everything the area shows, of so many days up to now. */
export async function readCalibrationOf(
  db: Database,
  { staffer: { departments: only }, scope }: Pick<SignedIn, 'staffer' | 'scope'>,
  { days, department }: Asked,
  now: Date,
): Promise<Calibration> {
  const of = ofAsked({ days, department }, scope, now)
  const organisation = await readOrganisation(db)
  const [ruled, all, defaults, undone, text, teach, weights] = await Promise.all([
    readRuled(db, of),
    countScores(db, of),
    readDefaultsOf(db, only),
    readUndone(db, of),
    readText(db),
    readTeaching(db, of, now),
    readWeights(db, organisation),
  ])
  const own = defaults.departments.find(({ name }) => name === department)
  if (department !== '' && !own) throw new AppError('DEPARTMENT_NOT_FOUND')
  const { limits, watching } = usualOf(department, organisation)
  const judged = ruled.map(toJudged)
  const [wanted, junk] = [false, true].map(kind => byScore(ruled.filter(one => one.isJunk === kind)))
  const uses = await readEvidenceUse(db, ruled, limits.quarantined)
  const inUse = weightsInUse(organisation)
  return {
    days,
    wanted: wanted ?? [],
    junk: junk ?? [],
    unruled: unruledOf(all, [wanted ?? [], junk ?? []]),
    limits,
    asOrganisation: !own?.limits,
    departments: defaults.departments.map(({ name, mailboxes }) => ({ name, mailboxes })),
    watching,
    watched: await countWatched(db, of),
    mailboxes: own?.mailboxes ?? scope?.length ?? defaults.mailboxes,
    unlike: await countUnlike(db, of),
    area: rocArea(judged),
    brier: brierScore(judged),
    logLoss: logLoss(judged),
    reliability: reliability(judged).map(band => ({ ...band })),
    weeks: weeksOf(ruled, undone, { days, now }),
    evidence: uses.map(use => ({ ...use, weight: inUse[use.finding] })),
    weights,
    text,
    teach,
    drift: [...(await readDrift(db, organisation, ruled))],
  }
}

async function countWatched(db: Database, of: Of): Promise<number> {
  const { since, department } = of
  const row = await findRow<{ n: number }>(
    db,
    `SELECT COUNT(*) AS n FROM deliveries d ${withMailbox(of)}
     WHERE d.would IS NOT NULL AND d.received_day >= DATE(:since) AND ${areTheirs(of)}`,
    { since, department },
  )
  return row?.n ?? 0
}

/** Mailboxes with limits of their own: they do not follow. */
async function countUnlike(db: Database, of: Of): Promise<number> {
  const row = await findRow<{ n: number }>(
    db,
    `SELECT COUNT(*) AS n FROM mailboxes b WHERE ${isTheirs(of)} AND b.limit_junk IS NOT NULL`,
    { department: of.department },
  )
  return row?.n ?? 0
}

const scoreOf = (score: number) => Math.min(100, Math.max(0, Math.floor(score)))

function byScore(ruled: readonly Ruled[]): number[] {
  const counts = Array.from({ length: 101 }, () => 0)
  for (const { score } of ruled) counts[scoreOf(score)] = (counts[scoreOf(score)] ?? 0) + 1
  return counts
}

const bins = 50
const binOf = (score: number) => Math.min(bins - 1, Math.floor(score / 2))

/**
 * Deliveries by two scores each, whatever became of them: of everybody from the counts that triggers keep, since a month is
 * hundreds of thousands.
 */
async function countScores(db: Database, of: Of): Promise<readonly number[]> {
  const { since, department } = of
  const rows = await select<{ bin: number; n: number }>(
    db,
    isEverybodys(of)
      ? 'SELECT bin, SUM(n) AS n FROM review_counts WHERE received_day >= DATE(:since) GROUP BY bin'
      : `SELECT LEAST(FLOOR(d.score / 2), ${bins - 1}) AS bin, COUNT(*) AS n FROM deliveries d JOIN mailboxes b ON b.id = d.mailbox_id
         WHERE d.received_day >= DATE(:since) AND ${isTheirs(of)} GROUP BY 1`,
    { since, department },
  )
  const counts = Array.from({ length: bins }, () => 0)
  for (const { bin, n } of rows) counts[bin] = (counts[bin] ?? 0) + Number(n)
  return counts
}

/** What nobody has ruled on, by whole score: each pair of scores shares what is left of its mail. */
function unruledOf(all: readonly number[], ruled: readonly (readonly number[])[]): number[] {
  const left = [...all]
  for (const counts of ruled)
    counts.forEach((n, score) => (left[binOf(score)] = (left[binOf(score)] ?? 0) - n))
  return Array.from({ length: 101 }, (_, score) => {
    const n = score === 100 ? 0 : Math.max(0, left[binOf(score)] ?? 0)
    return score % 2 === 0 ? Math.ceil(n / 2) : Math.floor(n / 2)
  })
}

async function readUndone(db: Database, of: Of): Promise<readonly Date[]> {
  const { since, department } = of
  const rows = await select<{ at: Date }>(
    db,
    `SELECT r.at FROM rulings r WHERE r.at >= :since AND r.undone_at IS NOT NULL AND (${isEverybodys(of) ? 'TRUE' : 'FALSE'} OR EXISTS (
       SELECT 1 FROM ruling_deliveries x JOIN deliveries d ON d.id = x.delivery_id JOIN mailboxes b ON b.id = d.mailbox_id
       WHERE x.ruling_id = r.id AND ${isTheirs(of)}))`,
    { since, department },
  )
  return rows.map(({ at }) => at)
}

/** Whole weeks back from now, oldest first. */
function weeksOf(
  ruled: readonly Ruled[],
  undone: readonly Date[],
  { days, now }: { readonly days: number; readonly now: Date },
): Calibration['weeks'] {
  const weeks = Math.ceil(days / 7)
  return Array.from({ length: weeks }, (_, i) => {
    const to = now.getTime() - (weeks - 1 - i) * 7 * day
    const from = to - 7 * day
    const isIn = (at: Date) => at.getTime() > from && at.getTime() <= to
    const own = ruled.filter(({ ruledAt }) => isIn(ruledAt))
    const waited = own
      .filter(({ released }) => released)
      .map(({ receivedAt, ruledAt }) => (ruledAt.getTime() - receivedAt.getTime()) / 3_600_000)
      .sort((a, b) => a - b)
    const judged = own.map(toJudged)
    return {
      from: new Date(from + day).toISOString().slice(0, 10),
      rulings: own.length,
      held: own.filter(({ isJunk, hadArrived }) => !isJunk && !hadArrived).length,
      missed: own.filter(({ isJunk, hadArrived }) => isJunk && hadArrived).length,
      undone: undone.filter(isIn).length,
      median: quantile(waited, 0.5),
      ninth: quantile(waited, 0.9),
      brier: brierScore(judged),
      logLoss: logLoss(judged),
    }
  })
}

/** Of ascending numbers, the nearest rank. */
const quantile = (sorted: readonly number[], share: number): number | null =>
  sorted[Math.max(0, Math.ceil(sorted.length * share) - 1)] ?? null

async function readText(db: Database): Promise<Calibration['text']> {
  const [total, fitted] = await Promise.all([
    findRow<{ wanted: number; junk: number }>(db, "SELECT wanted, junk FROM words WHERE word = ''"),
    findRow<{ stack_linear: number; fitted_at: Date }>(
      db,
      'SELECT stack_linear, fitted_at FROM text_calibration WHERE id = 1',
    ),
  ])
  const lessons = { wanted: Math.max(0, total?.wanted ?? 0), junk: Math.max(0, total?.junk ?? 0) }
  return {
    ...lessons,
    bound: boundOf(lessons),
    linear: (fitted?.stack_linear ?? 0) !== 0,
    fittedAt: fitted?.fitted_at.toISOString() ?? null,
  }
}

/** Mail of these days is what a colleague may still ask for. */
const teachingDays = 14
const mostLookedAt = 400
const mostTeaching = 20

interface TeachingRow {
  readonly id: number
  readonly score: number
  readonly cluster: string
  readonly copies: number
  readonly from_name: string
  readonly from_address: string
  readonly subject: string
  readonly received_at: Date
  readonly name: string
}

/** Kept-back messages of the last days that nobody has ruled on, the most telling ones. */
async function readTeaching(db: Database, whose: Whose, now: Date): Promise<Calibration['teach']> {
  const since = new Date(now.getTime() - teachingDays * day)
  const near = await uncertain(db, { ...whose, since }, 10)
  // Of little mail the less uncertain, too.
  const rows = near.length < mostLookedAt ? await uncertain(db, { ...whose, since }, 45) : near
  return teachesMost(rows, mostTeaching).map(row => ({
    id: row.id,
    from: row.from_name || row.from_address,
    subject: row.subject,
    score: row.score,
    receivedAt: row.received_at.toISOString(),
    colleague: row.name,
    copies: row.copies,
  }))
}

/** Kept-back mail within so much of a score of 50 that nobody has ruled on, the least sure first; first by the index alone. */
function uncertain(db: Database, of: Of, around: number): Promise<TeachingRow[]> {
  const { since, department } = of
  return select<TeachingRow>(
    db,
    `SELECT d.id, d.score, d.cluster_key AS cluster, COALESCE(c.deliveries, 1) AS copies, d.from_name, d.from_address, d.subject,
       d.received_at, b.name
     FROM (SELECT d.id FROM deliveries d ${withMailbox(of)}
         WHERE d.state IN ${undecidedSql} AND d.score BETWEEN :low AND :high AND d.received_day >= DATE(:since) AND ${areTheirs(of)}
         ORDER BY ABS(d.score - 50), d.id LIMIT :atFirst) x
       JOIN deliveries d ON d.id = x.id JOIN messages m ON m.id = d.message_id JOIN mailboxes b ON b.id = d.mailbox_id
       LEFT JOIN clusters c ON c.cluster_key = d.cluster_key
     WHERE m.called IS NULL ORDER BY ABS(d.score - 50), d.id LIMIT :mostLookedAt`,
    {
      low: 50 - around,
      high: 50 + around,
      since,
      department,
      atFirst: 4 * mostLookedAt,
      mostLookedAt,
    },
  )
}
