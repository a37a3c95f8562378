import type { CalibrationShape as Calibration } from '@pendro/contract'
import { brierScore, logLoss, reliability, rocArea, teachesMost, type Judged } from '@pendro/core/calibration'
import { boundOf, weights } from '@pendro/core/judgement'
import { findRow, select, type Database } from '../db/database.ts'
import { undecidedSql } from '../deliveries/states-sql.ts'
import { readDefaultsOf } from '../mailboxes/defaults.ts'
import { readEvidenceUse, readRuled, type Ruled } from './ruled.ts'

const day = 86_400_000
const toJudged = ({ score, isJunk }: Ruled): Judged => ({ said: score / 100, isJunk })

/** Everything the area shows, of so many days up to now. */
export async function readCalibrationOf(db: Database, days: number, now: Date): Promise<Calibration> {
  const since = new Date(now.getTime() - days * day)
  const [ruled, all, organisation, undone, text, teach] = await Promise.all([
    readRuled(db, since),
    countScores(db, since),
    readDefaultsOf(db),
    readUndone(db, since),
    readText(db),
    readTeaching(db, now),
  ])
  const { limits } = organisation.defaults
  const judged = ruled.map(toJudged)
  const [wanted, junk] = [false, true].map(kind => byScore(ruled.filter(one => one.isJunk === kind)))
  const uses = await readEvidenceUse(db, ruled, limits.quarantined)
  return {
    days,
    wanted: wanted ?? [],
    junk: junk ?? [],
    unruled: all.map((n, score) => Math.max(0, n - (wanted?.[score] ?? 0) - (junk?.[score] ?? 0))),
    limits,
    mailboxes: organisation.mailboxes,
    unlike: organisation.unlike.limits,
    area: rocArea(judged),
    brier: brierScore(judged),
    logLoss: logLoss(judged),
    reliability: reliability(judged).map(band => ({ ...band })),
    weeks: weeksOf(ruled, undone, { days, now }),
    evidence: uses.map(use => ({ ...use, weight: weights[use.finding] })),
    text,
    teach,
  }
}

const scoreOf = (score: number) => Math.min(100, Math.max(0, Math.floor(score)))

function byScore(ruled: readonly Ruled[]): number[] {
  const counts = Array.from({ length: 101 }, () => 0)
  for (const { score } of ruled) counts[scoreOf(score)] = (counts[scoreOf(score)] ?? 0) + 1
  return counts
}

/** Deliveries by whole score, whatever became of them. */
async function countScores(db: Database, since: Date): Promise<readonly number[]> {
  const rows = await select<{ score: number; n: number }>(
    db,
    'SELECT FLOOR(score) AS score, COUNT(*) AS n FROM deliveries WHERE received_day >= DATE(:since) GROUP BY FLOOR(score)',
    { since },
  )
  const counts = Array.from({ length: 101 }, () => 0)
  for (const { score, n } of rows) counts[scoreOf(score)] = (counts[scoreOf(score)] ?? 0) + n
  return counts
}

async function readUndone(db: Database, since: Date): Promise<readonly Date[]> {
  const rows = await select<{ at: Date }>(
    db,
    'SELECT at FROM rulings WHERE at >= :since AND undone_at IS NOT NULL',
    { since },
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

/** Kept-back messages of the last days that nobody has ruled on, the most telling ones. */
async function readTeaching(db: Database, now: Date): Promise<Calibration['teach']> {
  const rows = await select<{
    id: number
    score: number
    cluster: string
    copies: number
    from_name: string
    from_address: string
    subject: string
    received_at: Date
    name: string
  }>(
    db,
    `SELECT d.id, d.score, d.cluster_key AS cluster, COALESCE(c.deliveries, 1) AS copies, d.from_name, d.from_address, d.subject,
       d.received_at, b.name
     FROM deliveries d JOIN messages m ON m.id = d.message_id JOIN mailboxes b ON b.id = d.mailbox_id
       LEFT JOIN clusters c ON c.cluster_key = d.cluster_key
     WHERE d.state IN ${undecidedSql} AND d.score BETWEEN 5 AND 95 AND d.received_day >= DATE(:since) AND m.called IS NULL
     ORDER BY ABS(d.score - 50), d.id LIMIT :mostLookedAt`,
    { since: new Date(now.getTime() - teachingDays * day), mostLookedAt },
  )
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
