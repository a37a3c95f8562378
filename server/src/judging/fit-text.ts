import { fitText, type TokenCount } from '@pendro/core/judgement'
import { findRow, inTransaction, type Database } from '../db/database.ts'
import { findAll } from '../db/rows.ts'
import { Lessons, Words } from '../db/models/learning.ts'
import { keepFitted, mostRecent } from './text-model.ts'

/** So many lessons, the newest that count, are what the model is fitted on. */
const most = 20_000
/** It is fitted anew when so many lessons have come, or a fiftieth of what there is. */
const enough = 20

/**
 * Fits the text model when it is due: enough lessons have come, or one has gone that it was fitted on. 1 when it did. `fit` does the
 * work, in a thread of its own where there is one.
 */
export async function recalibrate(
  db: Database,
  now: Date,
  fit: (at: Date) => Promise<unknown> = at => fitOnLessons(db, at),
): Promise<number> {
  if (!(await isDue(db))) return 0
  await fit(now)
  return 1
}

async function isDue(db: Database): Promise<boolean> {
  const state = await findRow<{ fitted: number | null; still: number; come: number }>(
    db,
    `SELECT (SELECT lessons FROM text_calibration WHERE id = 1) AS fitted,
       COALESCE(SUM(id <= x.last_lesson), 0) AS still, COALESCE(SUM(id > x.last_lesson), 0) AS come
     FROM lessons, (SELECT COALESCE(MAX(last_lesson), 0) AS last_lesson FROM text_calibration) x WHERE counted`,
  )
  const { fitted, still, come } = state ?? { fitted: null, still: 0, come: 0 }
  if (fitted === null) return come > 0
  // Of more than are fitted on, the oldest go by themselves.
  return (
    (still !== fitted && still < most) ||
    come >= Math.min(mostRecent, Math.max(enough, Math.floor(fitted / 50)))
  )
}

/**
 * Fits on the lessons that count and keeps what comes of it. A function of the lessons alone: any process comes to the same, and
 * after an undo it is what it would be had the lesson never been.
 */
export async function fitOnLessons(db: Database, now: Date): Promise<void> {
  const newest = await findAll(
    db,
    Lessons,
    { counted: true },
    { columns: ['id', 'verdict', 'words'], order: [['id', 'DESC']], limit: most },
  )
  const lessons = newest.reverse()
  const fitted = fitText(
    lessons.map(({ verdict, words }) => ({ tokens: words, isJunk: verdict !== 'wanted' })),
    await countsOf(db, new Set(lessons.flatMap(({ words }) => words))),
  )
  await inTransaction(db, tx =>
    keepFitted(db, tx, fitted, { lessons: lessons.length, last: lessons.at(-1)?.id ?? 0, at: now }),
  )
}

async function countsOf(db: Database, words: ReadonlySet<string>) {
  const asked = ['', ...words]
  const tokens = new Map<string, TokenCount>()
  for (let start = 0; start < asked.length; start += 5000) {
    const rows = await findAll(
      db,
      Words,
      { word: asked.slice(start, start + 5000) },
      { columns: ['word', 'wanted', 'junk'] },
    )
    for (const { word, wanted, junk } of rows) tokens.set(word, { wanted, junk })
  }
  return { total: tokens.get('') ?? { wanted: 0, junk: 0 }, tokens }
}
