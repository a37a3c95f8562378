// `npm run fit`: fits the weights of evidence on the made-up organisation's mail of a seed of its own.
// The demo's own seed is left for measuring. Prints a table to be put into weights.ts by hand, so that a
// change of a weight is seen in review.
import { join } from 'node:path'
import { startDatabase } from '../scripts/database.mjs'
import { fillDemo } from '../scripts/fill-demo.ts'
import { dataFolder } from '../scripts/prepare.mjs'
import { openDatabase } from '../server/src/db/database.ts'
import { migrate } from '../server/src/db/migrate.ts'
import { rangeOf, weights, type Finding } from '@pendro/core/judgement'
import { chanceOf, type Chance } from '@pendro/demo/random'
import { prior } from './fit-prior.ts'
import { judgedMail, type JudgedMail } from './judged-mail.ts'

const fitSeeds = [77, 78]
/** How strongly a weight is held to its prior, against the mean log-loss of a message. */
const ridge = 0.005
/**
 * Made-up texts are far more telling than real ones, so their words would leave nothing for the rest to
 * say. They are left out of this share of the rows.
 */
const withoutWords = 0.85

export interface Row {
  readonly x: ReadonlyMap<Finding, number>
  readonly y: 0 | 1
}

/** A finding's strength is what it was scaled by: its weight against the table's; 1 for what weighs nothing. */
function rowOf({ evidence, isJunk }: JudgedMail, chance: Chance): Row {
  const x = new Map<Finding, number>()
  const silent = chance.happens(withoutWords)
  for (const { finding, weight } of evidence) {
    if (silent && finding.startsWith('words-')) continue
    x.set(finding, (x.get(finding) ?? 0) + (weights[finding] === 0 ? 1 : weight / weights[finding]))
  }
  return { x, y: isJunk ? 1 : 0 }
}

/** Inside what is known of real mail; else on the side of its meaning, and 0.1 at least. */
function within(name: Finding, weight: number): number {
  if (name === 'starting-point') return weight
  const range = rangeOf(name)
  if (range) return Math.max(range[0], Math.min(range[1], weight))
  const sign = Math.sign(prior[name])
  return sign * Math.max(0.1, sign * weight)
}

/** Ridge logistic regression by gradient descent; each weight keeps the sign of its meaning, and 0.1 at least. */
function fit(rows: readonly Row[]): Map<Finding, number> {
  const names = [...new Set(rows.flatMap(({ x }) => [...x.keys()]))]
  const w = new Map(names.map(name => [name, prior[name]]))
  const speed = new Map<Finding, number>()
  for (let round = 0; round < 3000; round += 1) {
    const gradient = new Map<Finding, number>()
    for (const { x, y } of rows) {
      let sum = 0
      for (const [name, value] of x) sum += (w.get(name) ?? 0) * value
      const error = 1 / (1 + Math.exp(-sum)) - y
      for (const [name, value] of x) gradient.set(name, (gradient.get(name) ?? 0) + error * value)
    }
    for (const name of names) {
      const g = (gradient.get(name) ?? 0) / rows.length + ridge * ((w.get(name) ?? 0) - prior[name])
      // Adagrad: findings that are seldom seen move as far as the common ones.
      const seen = (speed.get(name) ?? 0) + g * g
      speed.set(name, seen)
      const moved = (w.get(name) ?? 0) - (0.2 * g) / Math.sqrt(seen + 1e-12)
      w.set(name, within(name, moved))
    }
  }
  return w
}

const database = await startDatabase(join(dataFolder, 'fit-db'), { bufferPool: '1G' })
const chance = chanceOf(9)
const rows: Row[] = []
const seen = new Map<Finding, number>()
for (const seed of fitSeeds) {
  database.sql('DROP DATABASE IF EXISTS pendro_fit; CREATE DATABASE pendro_fit')
  const db = openDatabase(database.url('pendro_fit'))
  await migrate(db)
  await fillDemo(db, { now: new Date('2026-11-20T12:00:00Z'), seed })
  for (const mail of await judgedMail(db)) {
    // What was made to look like junk stands for mail that no model has seen: it takes no part.
    if (mail.isHeld) continue
    rows.push(rowOf(mail, chance))
    for (const { finding } of mail.evidence) seen.set(finding, (seen.get(finding) ?? 0) + 1)
  }
  await db.close()
}
await database.stop()
const fitted = fit(rows)
console.log(`Fitted on ${rows.length} deliveries, ${rows.filter(({ y }) => y === 1).length} of them junk.`)
for (const [name, old] of Object.entries(prior) as [Finding, number][]) {
  const value = fitted.get(name)
  console.log(
    `  '${name}': ${value === undefined ? `${old}, // by hand` : `${value.toFixed(2)}, // seen ${seen.get(name)}, was ${old}`}`,
  )
}
