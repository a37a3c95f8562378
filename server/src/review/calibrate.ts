import { fitCalibration, heldOut, type Sample, type TokenCount } from '@pendro/core/judgement'
import { execute, findRow, inTransaction, type Database } from '../db/database.ts'
import { findAll, findOne } from '../db/rows.ts'
import { Lessons, TextCalibration, Words } from '../db/models/learning.ts'
import { moveVersion } from '../db/versions.ts'

/** So many lessons, the newest, are what calibration is fitted on. */
const most = 1500
/** It is fitted anew when so many lessons have come or gone. */
const enough = 20

/**
 * Fits the classifier's calibration when enough lessons have come or gone; 1 when it did. Every lesson is
 * scored as if it had not been learned. A function of the lessons alone: any process comes to the same.
 */
export async function recalibrate(db: Database, now: Date): Promise<number> {
  const [lessons, fitted] = await Promise.all([
    findRow<{ n: number; last: number | null }>(db, 'SELECT COUNT(*) AS n, MAX(id) AS last FROM lessons'),
    findOne(db, TextCalibration, { id: 1 }, { columns: ['lessons'] }),
  ])
  const count = lessons?.n ?? 0
  if (count === 0 || Math.abs(count - (fitted?.lessons ?? 0)) < (fitted ? enough : 1)) return 0
  const samples = await heldOutSamples(db)
  const { slope, intercept } = fitCalibration(samples)
  const values = {
    slope,
    intercept,
    count,
    last: lessons?.last ?? 0,
    logLoss: logLoss(samples, slope, intercept),
    now,
  }
  await inTransaction(db, async tx => {
    await execute(
      db,
      `REPLACE INTO text_calibration (id, slope, intercept, lessons, last_lesson, log_loss, fitted_at)
       VALUES (1, :slope, :intercept, :count, :last, :logLoss, :now)`,
      values,
      tx,
    )
    await moveVersion(db, 'calibration', tx)
  })
  return 1
}

async function heldOutSamples(db: Database): Promise<readonly Sample[]> {
  const lessons = await findAll(
    db,
    Lessons,
    {},
    { columns: ['verdict', 'words'], order: [['id', 'DESC']], limit: most },
  )
  const words = [...new Set(lessons.flatMap(lesson => lesson.words))]
  const counts = new Map<string, TokenCount>()
  for (let start = 0; start <= words.length; start += 5000) {
    const rows = await findAll(
      db,
      Words,
      { word: ['', ...words.slice(start, start + 5000)] },
      { columns: ['word', 'wanted', 'junk'] },
    )
    for (const { word, wanted, junk } of rows) counts.set(word, { wanted, junk })
  }
  const total = counts.get('') ?? { wanted: 0, junk: 0 }
  return lessons.map(({ verdict, words: tokens }) => {
    const isJunk = verdict !== 'wanted'
    return heldOut({ tokens, isJunk }, { total, tokens: counts })
  })
}

function logLoss(samples: readonly Sample[], slope: number, intercept: number): number {
  const junk = samples.filter(({ isJunk }) => isJunk).length
  const prior = Math.log(Math.max(1, junk) / Math.max(1, samples.length - junk))
  const loss = samples.reduce((sum, { sum: raw, share, isJunk }) => {
    const odds = slope * raw + intercept * share + prior
    return sum + Math.log1p(Math.exp(isJunk ? -odds : odds))
  }, 0)
  return samples.length === 0 ? 0 : loss / samples.length
}
