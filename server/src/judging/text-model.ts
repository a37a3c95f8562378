import { gunzipSync, gzipSync } from 'node:zlib'
import {
  gramSpace,
  gramsOf,
  learnAtOnce,
  uncalibrated,
  type Curve,
  type FittedText,
  type Linear,
  type TextKnowledge,
} from '@pendro/core/judgement'
import { execute, findRow, select, type Database, type Tx } from '../db/database.ts'
import { keep, moveVersion, type Versions } from '../db/versions.ts'

/** What was fitted on the lessons, and what has been learned since. */
export type TextModel = Pick<TextKnowledge, 'calibration' | 'linear'>

interface Fitted extends TextModel {
  readonly lastLesson: number
}

/** Lessons since the last fit that are taken at once; with so many a fit is due. */
export const mostRecent = 60

/** The last model with the newest lessons put upon it, from memory while nothing has changed. */
export async function textModel(db: Database, versions: Versions, tx?: Tx): Promise<TextModel> {
  const fitted = await keep(db, versions, 'calibration', () => readFitted(db, tx))
  if (fitted.linear === null) return fitted
  return withRecent(db, fitted, tx)
}

const stepped = new WeakMap<Fitted, { readonly recent: string; readonly model: TextModel }>()

async function withRecent(db: Database, fitted: Fitted, tx?: Tx): Promise<TextModel> {
  const { lastLesson, calibration, linear } = fitted
  const since = await findRow<{ n: number; last: number | null }>(
    db,
    'SELECT COUNT(*) AS n, MAX(id) AS last FROM lessons WHERE id > :lastLesson AND counted',
    { lastLesson },
    tx,
  )
  if (!since || since.n === 0 || linear === null) return fitted
  const recent = `${since.n} ${since.last ?? 0}`
  const held = stepped.get(fitted)
  if (held?.recent === recent) return held.model
  const rows = await select<{ verdict: string; words: readonly string[] }>(
    db,
    'SELECT verdict, words FROM lessons WHERE id > :lastLesson AND counted ORDER BY id LIMIT :mostRecent',
    { lastLesson, mostRecent },
    tx,
  )
  const lessons = rows.map(({ verdict, words }) => ({
    grams: gramsOf(words),
    isJunk: verdict !== 'wanted',
  }))
  const model = { calibration, linear: learnAtOnce(linear, lessons) }
  stepped.set(fitted, { recent, model })
  return model
}

async function readFitted(db: Database, tx?: Tx): Promise<Fitted> {
  const row = await findRow<{
    slope: number
    intercept: number
    stack_linear: number
    stack_offset: number
    curve: Curve | null
    last_lesson: number
    model: Buffer | null
  }>(
    db,
    'SELECT slope, intercept, stack_linear, stack_offset, curve, last_lesson, model FROM text_calibration WHERE id = 1',
    {},
    tx,
  )
  if (!row) return { calibration: uncalibrated, linear: null, lastLesson: 0 }
  const { slope, intercept, stack_linear: linear, stack_offset: offset } = row
  return {
    calibration: { slope, intercept, linear, offset, curve: row.curve },
    linear: row.model && unpackLinear(row.model),
    lastLesson: row.last_lesson,
  }
}

/** Keeps what was fitted on lessons up to one. */
export async function keepFitted(
  db: Database,
  tx: Tx,
  { calibration, linear, logLoss }: FittedText,
  on: { readonly lessons: number; readonly last: number; readonly at: Date },
): Promise<void> {
  await execute(
    db,
    `REPLACE INTO text_calibration
       (id, slope, intercept, stack_linear, stack_offset, curve, model, lessons, last_lesson, log_loss, fitted_at)
     VALUES (1, :slope, :intercept, :linear, :offset, :curve, :model, :lessons, :last, :logLoss, :at)`,
    {
      ...calibration,
      curve: calibration.curve ? JSON.stringify(calibration.curve) : null,
      model: linear && packLinear(linear),
      logLoss,
      ...on,
    },
    tx,
  )
  await moveVersion(db, 'calibration', tx)
}

/** Two arrays of 32-bit floats, weights first. */
const packLinear = ({ weights, rarity }: Linear): Buffer =>
  gzipSync(Buffer.concat([weights, rarity].map(of => Buffer.from(of.buffer, of.byteOffset, of.byteLength))), {
    level: 4,
  })

function unpackLinear(packed: Buffer): Linear {
  // Copied, so that it begins where floats may.
  const floats = new Float32Array(new Uint8Array(gunzipSync(packed)).buffer)
  return { weights: floats.slice(0, gramSpace), rarity: floats.slice(gramSpace, 2 * gramSpace) }
}
