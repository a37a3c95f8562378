import { chanceOf } from '@pendro/demo/random'
import { fitText, gramsOf, learnAtOnce, tokensOf, type TextLesson } from '@pendro/core/judgement'
import { sketchOf } from '@pendro/core/clusters'
import { countsOf } from '../core/tests/lessons.ts'
import { readCalibrationOf } from '../server/src/calibration/calibration.ts'
import {
  execute,
  findRow,
  inTransaction,
  openDatabase,
  select,
  type Database,
} from '../server/src/db/database.ts'
import { Lessons } from '../server/src/db/models/learning.ts'
import { insert } from '../server/src/db/rows.ts'
import { joinClusters } from '../server/src/judging/cluster-texts.ts'
import { defaultsEffect, readDefaultsOf } from '../server/src/mailboxes/defaults.ts'
import { countWords } from '../server/src/rulings/learning.ts'
import { fillMillion } from './mailboxes.ts'
import { inTurns, median, ms, type Measured, type Section } from './measure.ts'
import { askerOf, p95, pause, serveBench } from './served.ts'

const many = 20_000

/** Texts whose words are as unevenly frequent as those of a language (Zipf); junk and wanted differ in some of them. */
function makeLessons(count: number): readonly TextLesson[] {
  const chance = chanceOf(11)
  const word = (isJunk: boolean) => {
    const rank = Math.floor(30_000 ** chance.next())
    return `w${(rank + (rank % 7 === 0 && isJunk ? 40_000 : 0)).toString(36)}o`
  }
  return Array.from({ length: count }, (_, i) => {
    const isJunk = i % 3 !== 0
    const text = Array.from({ length: 120 }, () => word(isJunk)).join(' ')
    return { tokens: tokensOf({ subject: '', from: [], links: [], text }), isJunk }
  })
}

const within = (what: string, ours: number, limit: number, unit = 'ms'): Measured => ({
  what,
  ours: unit === 'ms' ? ms(ours) : `${ours.toFixed(1)} ${unit}`,
  against: `${limit} ${unit} (limit)`,
  ratio: ours / limit,
  wanted: 'at most 1',
  met: ours <= limit,
})

/** What learning costs: one lesson, a whole fit beside people who work, near-duplicates among a million, and a limit that is moved. */
export async function benchLearning(
  urlOf: (name: string) => string,
  sql: (text: string) => void,
): Promise<Section> {
  sql('DROP DATABASE IF EXISTS pendro_learning; CREATE DATABASE pendro_learning')
  const db = openDatabase(urlOf('pendro_learning'))
  console.log('Filling a million …')
  const now = new Date()
  await fillMillion(db, now)
  const rows = [
    ...oneLesson(),
    ...(await clusters(db, now)),
    ...(await limits(db, now)),
    ...(await wholeFit(db, urlOf('pendro_learning'))),
  ]
  await db.close()
  return {
    title: 'Learning, and what it is set by',
    rows,
    notes:
      'A lesson is put upon the model in use; naive Bayes counts it in the transaction of the ruling. The fit runs in a thread of its own while the review page is asked again and again. A moved limit: its counts come from the scores that the page has, in the browser; measured is the answer with messages, 5,000 deliveries decided twice. The p95 of the review page is of few requests and moves: 0.74, 0.80 and 1.40 in three runs.',
  }
}

function oneLesson(): readonly Measured[] {
  const lessons = makeLessons(2000)
  const before = process.memoryUsage()
  const { linear } = fitText(lessons, countsOf(lessons))
  if (!linear) throw new Error('no linear model')
  globalThis.gc?.()
  const held = linear.weights.byteLength + linear.rarity.byteLength
  const times = lessons.slice(0, 300).map(({ tokens, isJunk }) => {
    const began = performance.now()
    learnAtOnce(linear, [{ grams: gramsOf(tokens), isJunk }])
    return performance.now() - began
  })
  const after = process.memoryUsage()
  const grown = Math.max(held, after.arrayBuffers - before.arrayBuffers)
  return [
    within('A lesson applied', median(times), 5),
    within('Memory of the classifier in a process', grown / 2 ** 20, 64, 'MB'),
  ]
}

/** A new text joined among so many that are kept. */
async function clusters(db: Database, now: Date): Promise<readonly Measured[]> {
  const took: number[] = []
  const sizes = [10_000, 1_000_000]
  for (const size of sizes) {
    const from = (await findRow<{ n: number }>(db, 'SELECT COUNT(*) AS n FROM cluster_texts'))?.n ?? 0
    await execute(
      db,
      `INSERT INTO cluster_texts (id, text_key, cluster_key, sketch, seen_at)
       SELECT seq, MD5(seq), MD5(seq), REPEAT(UNHEX(MD5(seq)), 16), :now FROM seq_${from + 1}_to_${size}`,
      { now },
    )
    for (let band = 0; band < 16; band += 1)
      await execute(
        db,
        `INSERT INTO cluster_bands SELECT ${band}, CRC32(CONCAT(seq, ' ', ${band})), seq FROM seq_${from + 1}_to_${size}`,
      )
    for (const table of ['cluster_texts', 'cluster_bands']) await select(db, `ANALYZE TABLE ${table}`)
    const texts = makeLessons(260).map(({ tokens }, i) => ({
      key: `${size.toString(16)}x${i}`.padEnd(32, '0').slice(0, 32),
      sketch: sketchOf({ text: `${size} ${tokens.join(' ')}` }),
    }))
    const times: number[] = []
    for (const text of texts) {
      await inTransaction(db, async tx => {
        const began = performance.now()
        await joinClusters(db, tx, [text], now)
        times.push(performance.now() - began)
      })
    }
    took.push(median(times.slice(60)))
  }
  // As messages come in: a transaction takes several together, and one statement asks for all.
  const batch = makeLessons(600).map(({ tokens }, i) => ({
    key: `b${i}`.padEnd(32, '0'),
    sketch: sketchOf({ text: `batch ${i} ${tokens.join(' ')}` }),
  }))
  const together: number[] = []
  for (let i = 0; i < batch.length; i += 20)
    await inTransaction(db, async tx => {
      const began = performance.now()
      await joinClusters(db, tx, batch.slice(i, i + 20), now)
      together.push((performance.now() - began) / 20)
    })
  const [small = 1, large = 1] = took
  return [
    within('Joining a new text to a million, of twenty that come in together', median(together), 1),
    {
      what: 'The same one by one',
      ours: ms(large),
      against: `${ms(small)} (among 10,000)`,
      ratio: large / small,
      wanted: 'at most 1.5',
      met: large / small <= 1.5,
    },
  ]
}

/** Whoever looks after all of the organisation. */
const everybody = {
  staffer: { id: 1, name: '', signIn: '', role: 'steward', departments: null },
  scope: null,
} as const

async function limits(db: Database, now: Date): Promise<readonly Measured[]> {
  const { defaults } = await readDefaultsOf(db)
  const to = { junk: 55, quarantined: 60, nearCertain: 90 }
  const [moved = 0, page = 0, whole = 0] = await inTurns(
    5,
    () => defaultsEffect(db, { what: 'limits', was: defaults.limits, to }, now, { before: 1_100_000 }),
    () => readCalibrationOf(db, everybody, { days: 30, department: '' }, now),
    () => defaultsEffect(db, { what: 'limits', was: defaults.limits, to }, now),
  )
  return [
    within(
      'A limit moved over 1,000,000 deliveries: the first answer, counted and with messages',
      whole,
      300,
    ),
    within('A later part of it, 5,000 deliveries', moved, 300),
    within('Calibration of 30 days, the whole page', page, 1500),
  ]
}

async function wholeFit(db: Database, url: string): Promise<readonly Measured[]> {
  const running = await serveBench(url)
  const ask = await askerOf(running.httpPort)
  for (let i = 0; i < 60; i += 1) await ask()
  const idle: number[] = []
  for (let i = 0; i < 300; i += 1) {
    idle.push(await ask())
    await pause(20)
  }
  const lessons = makeLessons(many)
  for (let i = 0; i < lessons.length; i += 500) {
    const part = lessons.slice(i, i + 500).map(({ tokens, isJunk }) => ({
      ruling_id: null,
      message_id: null,
      verdict: isJunk ? ('junk' as const) : ('wanted' as const),
      words: tokens,
      senders: [],
      counted: true,
    }))
    await inTransaction(db, async tx => {
      await insert(db, Lessons, part, tx)
      await countWords(db, tx, part, 1)
    })
  }
  const fitted = () =>
    findRow<{ lessons: number }>(db, 'SELECT lessons FROM text_calibration WHERE id = 1').then(
      row => row?.lessons ?? 0,
    )
  // What began on the first of them ends first.
  await execute(db, 'DELETE FROM text_calibration')
  while ((await fitted()) < 1) await pause(200)
  await execute(db, 'DELETE FROM text_calibration')
  const began = performance.now()
  const busy: number[] = []
  while ((await fitted()) < many) {
    busy.push(await ask())
    await pause(20)
  }
  const took = performance.now() - began
  await running.stop()
  const ratio = p95(busy) / p95(idle)
  return [
    within(`A fit on ${many.toLocaleString('en')} rulings, in a thread`, took / 1000, 60, 's'),
    {
      what: `Review page meanwhile, p95 of ${busy.length}`,
      ours: ms(p95(busy)),
      against: `${ms(p95(idle))} (p95 at rest)`,
      ratio,
      wanted: 'at most 1.3',
      met: ratio <= 1.3,
    },
  ]
}
