import { spawnSync } from 'node:child_process'
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { classify, fitText, tokensOf, type TextLesson } from '@pendro/core/judgement'
import { countsOf } from '../core/tests/lessons.ts'
import { isHeldOut, spambase } from '../core/tests/spambase.ts'
import { dataFolder, root } from '../scripts/prepare.mjs'

interface Labelled {
  readonly text: string
  readonly isJunk: boolean
}

/** What is learned from and what is judged, as lessons of ours and as scikit-learn is given the same. */
interface Fold {
  readonly train: readonly TextLesson[]
  readonly test: readonly TextLesson[]
  readonly reference: { readonly train: readonly Row[]; readonly test: readonly Row[] }
}
type Row = readonly [text: string | readonly string[], label: 0 | 1]

/** An open labelled text collection: Reuters-21578, one topic or not, as Debian's package weka carries it (unpacked only). */
export function reuters(topic: 'Grain' | 'Corn'): readonly Fold[] | null {
  const folder = join(dataFolder, 'checks', 'weka')
  const examples = join(folder, 'usr/share/doc/weka/examples')
  if (!existsSync(examples)) {
    mkdirSync(folder, { recursive: true })
    spawnSync('sh', ['-c', 'apt-get download weka && dpkg -x weka_*.deb .'], { cwd: folder, stdio: 'ignore' })
  }
  const read = (name: string) => {
    const file = [`${name}.arff`, `${name}.arff.gz`].map(one => join(examples, one)).find(existsSync)
    return file === undefined ? null : readArff(readFileSync(file, 'utf8'))
  }
  const train = read(`Reuters${topic}-train`)
  const test = read(`Reuters${topic}-test`)
  if (!train || !test) return null
  const lessons = (all: readonly Labelled[]) =>
    all.map(({ text, isJunk }) => ({ tokens: tokensOf({ subject: '', from: [], links: [], text }), isJunk }))
  const rows = (all: readonly Labelled[]) => all.map(({ text, isJunk }): Row => [text, isJunk ? 1 : 0])
  return [
    {
      train: lessons(train),
      test: lessons(test),
      reference: { train: rows(train), test: rows(test) },
    },
  ]
}

/** Lines of the form `'text with \' and \n',1` after @data. */
function readArff(source: string): readonly Labelled[] {
  const data = source.slice(source.indexOf('@data'))
  return [...data.matchAll(/^'((?:[^'\\]|\\[\s\S])*)',([01])\s*$/gm)].map(([, text = '', label]) => ({
    text: text.replace(/\\n/g, '\n').replace(/\\(.)/g, '$1'),
    isJunk: label === '1',
  }))
}

/** Spambase in five folds; of a row without any of its words a text says nothing, so those are left out for all. */
function spambaseFolds(): readonly Fold[] {
  const lessons = spambase().filter(({ tokens }) => tokens.length > 0)
  const rows = (all: readonly TextLesson[]) => all.map(({ tokens, isJunk }): Row => [tokens, isJunk ? 1 : 0])
  return Array.from({ length: 5 }, (_, fold) => {
    const train = lessons.filter((__, i) => !isHeldOut(i, fold))
    const test = lessons.filter((__, i) => isHeldOut(i, fold))
    return { train, test, reference: { train: rows(train), test: rows(test) } }
  })
}

interface Score {
  readonly name: string
  readonly accuracy: number
  readonly logLoss: number
  readonly auc: number
}

function ours(folds: readonly Fold[]): Score {
  const scored = folds.flatMap(({ train, test }) => {
    const counts = countsOf(train)
    const { wanted, junk } = counts.total
    const knowledge = { ...counts, ...fitText(train, counts), furthest: Infinity }
    return test.map(({ tokens, isJunk }) => ({
      isJunk,
      p: 1 / (1 + Math.exp(-((classify(tokens, knowledge)?.logOdds ?? 0) + Math.log(junk / wanted)))),
    }))
  })
  const loss =
    scored.reduce(
      (sum, { p, isJunk }) => sum - Math.log(Math.min(1 - 1e-6, Math.max(1e-6, isJunk ? p : 1 - p))),
      0,
    ) / scored.length
  const right = scored.filter(({ p, isJunk }) => p >= 0.5 === isJunk).length / scored.length
  return { name: 'Pendro', accuracy: right, logLoss: loss, auc: auc(scored) }
}

function auc(scored: readonly { p: number; isJunk: boolean }[]): number {
  const [high, low] = [scored.filter(s => s.isJunk), scored.filter(s => !s.isJunk)]
  let wins = 0
  for (const a of high) for (const b of low) wins += a.p > b.p ? 1 : a.p === b.p ? 0.5 : 0
  return wins / (high.length * low.length)
}

/** The same split given to scikit-learn (Debian python3-sklearn), where the machine has it. */
function references(folds: readonly Fold[]): readonly Score[] {
  const file = join(dataFolder, 'checks', 'collection.json')
  writeFileSync(file, JSON.stringify(folds.map(({ reference }) => reference)))
  const done = spawnSync('/usr/bin/python3', [join(root, 'bench/classifier-reference.py'), file], {
    encoding: 'utf8',
  })
  if (done.status !== 0) return []
  return done.stdout
    .trim()
    .split('\n')
    .map(line => JSON.parse(line) as Score)
}

function tableOf(what: string, folds: readonly Fold[] | null): readonly string[] {
  if (!folds) return [`${what}: could not be fetched on this run; no comparison was made.`, '']
  const scores = [ours(folds), ...references(folds)]
  return [
    what,
    ...(scores.length === 1
      ? ['scikit-learn was not on the machine of this run (Debian python3-sklearn).']
      : []),
    '',
    '| classifier | accuracy | log-loss | area under the ROC curve |',
    '|---|---|---|---|',
    ...scores.map(
      s =>
        `| ${s.name} | ${(s.accuracy * 100).toFixed(1)} % | ${s.logLoss.toFixed(4)} | ${s.auc.toFixed(4)} |`,
    ),
    '',
  ]
}

/** Our classifier and general-purpose ones on the same data and splits, as a section of docs/judgement.md. */
export async function benchClassifier(): Promise<string> {
  mkdirSync(join(dataFolder, 'checks'), { recursive: true })
  return [
    'Open collections, the same data and splits for all (bench/classifier-reference.py). What is chosen by hand in our classifier',
    '(loss, pull, share of word parts) was chosen on these, so they flatter a little.',
    '',
    ...tableOf(
      'Reuters-21578, "grain" or not, ModApte split as packaged in Debian weka: 1,554 texts to learn from, 604 to judge, 57 of these "grain".',
      reuters('Grain'),
    ),
    ...tableOf('Reuters-21578, "corn" or not, the same texts, 24 of the 604 "corn".', reuters('Corn')),
    ...tableOf(
      'Spambase (UCI), five folds, its shares of 48 words, punctuation and capitals made into tokens; rows that have none of them are left out, since a text of which nothing is known says nothing in Pendro.',
      spambaseFolds(),
    ),
  ].join('\n')
}
