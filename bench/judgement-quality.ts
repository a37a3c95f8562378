// `npm run judgement`: how well the judgement fits the demo, whose seed took no part in fitting. Writes docs/judgement.md.
import { writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { startDatabase } from '../scripts/database.mjs'
import { fillDemo } from '../scripts/fill-demo.ts'
import { dataFolder, root } from '../scripts/prepare.mjs'
import { openDatabase, select, type Database } from '../server/src/db/database.ts'
import { migrate } from '../server/src/db/migrate.ts'
import { benchClassifier, reuters } from './classifier.ts'
import { auc, judgedMail, type JudgedMail } from './judged-mail.ts'
import { benchTeaching, spambaseParts, type Taught } from './teaching.ts'

const percent = (n: number) => `${(n * 100).toFixed(1)} %`

function distribution(mail: readonly JudgedMail[]): string {
  const rows = Array.from({ length: 10 }, (_, i) => {
    const inBin = mail.filter(({ score }) => Math.min(9, Math.floor(score / 10)) === i)
    return {
      i,
      wanted: inBin.filter(m => !m.isJunk).length,
      held: inBin.filter(m => m.isHeld).length,
      junk: inBin.filter(m => m.isJunk).length,
    }
  })
  return [
    '| score | wanted | of these made to look like junk | junk |',
    '|---|---|---|---|',
    ...rows.map(r => `| ${r.i * 10} to ${r.i * 10 + 10} | ${r.wanted} | ${r.held} | ${r.junk} |`),
  ].join('\n')
}

function reliability(mail: readonly JudgedMail[]): string {
  const bins = [0, 2, 5, 10, 20, 40, 60, 80, 90, 95, 98, 100.1]
  const rows = bins.slice(1).flatMap((to, i) => {
    const from = bins[i] ?? 0
    const inBin = mail.filter(({ score }) => score >= from && score < to)
    if (inBin.length === 0) return []
    const said = inBin.reduce((sum, { score }) => sum + score / 100, 0) / inBin.length
    const was = inBin.filter(({ isJunk }) => isJunk).length / inBin.length
    return [`| ${from} to ${Math.min(100, to)} | ${inBin.length} | ${percent(said)} | ${percent(was)} |`]
  })
  return ['| score | messages | said | was junk |', '|---|---|---|---|', ...rows].join('\n')
}

const brier = (mail: readonly JudgedMail[]) =>
  mail.reduce((sum, { score, isJunk }) => sum + (score / 100 - (isJunk ? 1 : 0)) ** 2, 0) / mail.length
const logLoss = (mail: readonly JudgedMail[]) =>
  mail.reduce((sum, { score, isJunk }) => {
    const p = Math.min(0.999, Math.max(0.001, score / 100))
    return sum - Math.log(isJunk ? p : 1 - p)
  }, 0) / mail.length

/** Of the wanted among the kept-back, how many stand in the first tenth of the list, by rank and by bare score. */
async function firstTenth(
  db: Database,
  by: 'rank_score' | 'score',
  only: 'deliveries' | 'rows',
): Promise<{ wanted: number; found: number; tenth: number; all: number }> {
  const rows = await select<{ truth: string; cluster_key: string }>(
    db,
    `SELECT t.truth, d.cluster_key FROM deliveries d JOIN demo_truth t ON t.message_id = d.message_id
     WHERE d.state IN ('quarantined', 'junk') ORDER BY d.${by}, d.id`,
  )
  const seen = new Set<string>()
  const list =
    only === 'deliveries'
      ? rows
      : rows.filter(({ cluster_key }) => !seen.has(cluster_key) && seen.add(cluster_key))
  const tenth = Math.ceil(list.length / 10)
  const wanted = (part: typeof list) => part.filter(({ truth }) => truth === 'wanted').length
  return { wanted: wanted(list), found: wanted(list.slice(0, tenth)), tenth, all: list.length }
}

function teachingTable(name: string, rows: readonly Taught[]): string {
  const last = rows.at(-1)
  const first = rows.find(({ byWorth }) => byWorth >= (last?.inOrder ?? 1))
  return [
    `${name}: ${
      first
        ? `what ${last?.rulings} rulings in order of arrival come to, ${first.rulings} on what would teach most come to as well.`
        : 'rulings on what would teach most do not come to more.'
    }`,
    '',
    '| rulings | in order of arrival | what would teach most |',
    '|---|---|---|',
    ...rows
      .filter(({ rulings }) => rulings % 100 === 0)
      .map(
        ({ rulings, inOrder, byWorth }) => `| ${rulings} | ${inOrder.toFixed(4)} | ${byWorth.toFixed(4)} |`,
      ),
  ].join('\n')
}

const database = await startDatabase(join(dataFolder, 'fit-db'), { bufferPool: '1G' })
database.sql('DROP DATABASE IF EXISTS pendro_quality; CREATE DATABASE pendro_quality')
const db = openDatabase(database.url('pendro_quality'))
await migrate(db)
const filled = await fillDemo(db, { now: new Date() })
const mail = await judgedMail(db)
const ranks = await Promise.all(
  (['deliveries', 'rows'] as const).flatMap(only =>
    (['rank_score', 'score'] as const).map(async by => ({ only, by, ...(await firstTenth(db, by, only)) })),
  ),
)
const [calibration] = await select<{ slope: number; intercept: number; lessons: number; log_loss: number }>(
  db,
  'SELECT * FROM text_calibration',
)
await db.close()
await database.stop()
const classifier = await benchClassifier()
const pools = (topic: 'Grain' | 'Corn') =>
  (reuters(topic) ?? []).map(({ train, test }) => ({ pool: train, test }))
const taught = {
  'Reuters, “grain”': benchTeaching(pools('Grain')),
  'Reuters, “corn”': benchTeaching(pools('Corn')),
  Spambase: benchTeaching(spambaseParts()),
}

const page = `# How good the judgement is

Made by \`npm run judgement\` on the demo (seed of its own; the weights were fitted on other seeds by \`npm run fit\` and then set by hand inside what is known of real mail).
The limits first. The mail of the demo is made up: its numbers tell whether the parts fit together, not how Pendro does on
anybody's real mail. The open collections are texts of others, and no mail of an organisation either: news, and shares of 48 words.
No real mail is in this repository; what is known of some is held against the weights (\`realShares\`).

## The score

${mail.length} deliveries, ${mail.filter(m => m.isJunk).length} of them junk. Brier score ${brier(mail).toFixed(4)}, log-loss ${logLoss(mail).toFixed(4)}, area under the ROC curve ${auc(mail).toFixed(4)}.
Of ${filled.held.made} wanted letters made to look like junk, ${filled.held.keptBack} were kept back: these are what a help desk is called about.

${distribution(mail)}

### Reliability

What the score said against how often it was junk. In between the made-up mail has few messages, most of them made to
be mistaken: these took no part in fitting.

${reliability(mail)}

## The order "likeliest to be wanted"

Share of the wanted messages among the kept-back that stand in the first tenth of the list.

| list of | by | kept back | wanted | in the first tenth | share |
|---|---|---|---|---|---|
${ranks.map(r => `| ${r.only === 'rows' ? 'rows (one a cluster)' : 'deliveries'} | ${r.by === 'rank_score' ? 'Pendro’s order' : 'bare score'} | ${r.all} | ${r.wanted} | ${r.found} of ${r.tenth} places | ${percent(r.found / r.wanted)} |`).join('\n')}

## The text classifier

On the demo: calibrated on ${calibration?.lessons} lessons (slope ${calibration?.slope.toFixed(3)}, intercept ${calibration?.intercept.toFixed(3)}; with so few naive Bayes speaks alone), held-out log-loss ${calibration?.log_loss.toFixed(4)}.

${classifier}

## What to look at first

Area under the curve of the text alone after so many rulings: on messages in the order in which they came in, and on those that Calibration puts first
(least sure). The first hundred are the same; 0.5 where there are fewer than ten of the rarer kind, with which nothing is said.

${Object.entries(taught)
  .map(([name, rows]) => teachingTable(name, rows))
  .join('\n\n')}
`
writeFileSync(join(root, 'docs/judgement.md'), page)
console.log(page)
