import { cpus, totalmem } from 'node:os'
import { readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { startDatabase } from '../scripts/database.mjs'
import { fillDemo } from '../scripts/fill-demo.ts'
import { dataFolder, root } from '../scripts/prepare.mjs'
import { openDatabase } from '../server/src/db/database.ts'
import { migrate } from '../server/src/db/migrate.ts'
import { benchDigestsAtScale } from './digests-at-scale.ts'
import { benchDigests } from './digests.ts'
import { benchDirectory } from './directory.ts'
import { benchFilters } from './filters.ts'
import { benchFirstDay } from './first-day.ts'
import { benchFirstRows } from './first-rows.ts'
import { benchHostile } from './hostile.ts'
import { benchIntake } from './intake.ts'
import { benchLearning } from './learning.ts'
import { benchMailboxes } from './mailboxes.ts'
import { benchJudging } from './judging.ts'
import { benchStores } from './stores.ts'
import type { Section } from './measure.ts'
import { benchUnderLoad } from './under-load.ts'
import { benchBundle, benchReview } from './review-page.ts'
import { benchDecisions, benchLists } from './senders.ts'
import { benchWhereabouts } from './whereabouts.ts'

// Sections that can be made again by name, without the rest: npm run bench -- intake
const alone = {
  hostile: benchHostile,
  intake: benchIntake,
  judging: () => benchJudging(),
  bundle: benchBundle,
} as const
// On databases of their own.
const onTheirOwn = [
  ...(process.argv.includes('mailboxes') ? [benchMailboxes] : []),
  ...(process.argv.includes('learning') ? [benchLearning] : []),
  ...(process.argv.includes('directory') ? [benchDirectory] : []),
  ...(process.argv.includes('first-day') ? [benchFirstDay] : []),
  ...(process.argv.includes('stores') ? [benchStores] : []),
]
const onItsOwn = onTheirOwn.length > 0
const only = Object.entries(alone).flatMap(([name, bench]) => (process.argv.includes(name) ? [bench] : []))
const sections: Section[] =
  only.length > 0 || onItsOwn ? [] : [benchBundle(), await benchJudging(), await benchDecisions()]

const database = await startDatabase(join(dataFolder, 'bench-db'), { bufferPool: '2G' })
if (onItsOwn) for (const bench of onTheirOwn) sections.push(await bench(database.url, database.sql))
else {
  database.sql('DROP DATABASE IF EXISTS pendro_bench; CREATE DATABASE pendro_bench')
  const db = openDatabase(database.url('pendro_bench'))
  await migrate(db)
  console.log('Filling …')
  await fillDemo(db, { now: new Date() })
  if (only.length > 0) {
    await db.close()
    for (const bench of only) sections.push(await bench(database.url('pendro_bench')))
  } else {
    sections.push(await benchReview(db, 100_000))
    sections.push(await benchUnderLoad(database.url('pendro_bench')))
    sections.push(await benchHostile(database.url('pendro_bench')))
    sections.push(await benchIntake(database.url('pendro_bench')))
    sections.push(await benchDigests(db))
    await db.close()
    sections.push(await benchDigestsAtScale(database.url, database.sql))
    sections.push(await benchWhereabouts(database.url, database.sql))
    const million = openDatabase(database.url('pendro_where'))
    sections.push(await benchFilters(million, database.url('pendro_where')))
    await million.close()
    sections.push(await benchFirstRows(database.url('pendro_where')))
    sections.push(await benchLists(database.url, database.sql))
    sections.push(await benchMailboxes(database.url, database.sql))
    sections.push(await benchLearning(database.url, database.sql))
    sections.push(await benchDirectory(database.url, database.sql))
    sections.push(await benchFirstDay(database.url, database.sql))
    sections.push(await benchStores(database.url, database.sql))
  }
}
await database.stop()

const table = ({ title, rows, notes }: Section) =>
  [
    `## ${title}`,
    '',
    '| what | ours | against | ratio | wanted | |',
    '|---|---|---|---|---|---|',
    ...rows.map(
      r =>
        `| ${r.what} | ${r.ours} | ${r.against} | ${r.ratio.toFixed(2)} | ${r.wanted} | ${r.met ? 'met' : '**not met**'} |`,
    ),
    '',
    ...(notes === '' ? [] : [notes, '']),
  ].join('\n')

const file = join(root, 'docs/benchmarks.md')
if (only.length > 0 || onItsOwn) {
  // One section made again takes its place in what was measured before, by name.
  for (const section of sections) {
    const before = readFileSync(file, 'utf8').split(/^(?=## )/m)
    const made = `${table(section)}\n`
    const place = before.findIndex(text => text.startsWith(`## ${section.title}\n`))
    if (place === -1) before.push(`\n${made}`)
    else before[place] = made
    writeFileSync(
      file,
      before
        .join('')
        .replace(/\n{3,}/g, '\n\n')
        .trimEnd() + '\n',
    )
    console.log(made)
  }
} else {
  writeFileSync(file, pageOf(sections))
  console.log(readFileSync(file, 'utf8'))
}

function pageOf(made: readonly Section[]): string {
  return `# Benchmarks

Made by \`npm run bench\`: medians, each compared in turns with its counterpart in the same run, so that the ratio is
what counts. Machine of this run: ${cpus().length} cores (${cpus()[0]?.model.trim() ?? 'unknown'}), ${Math.round(totalmem() / 2 ** 30)} GiB, Node ${process.version}, MariaDB 10.11.

${made.map(table).join('\n')}`
}
