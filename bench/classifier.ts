import { spawnSync } from 'node:child_process'
import { existsSync, mkdirSync, readFileSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { classify, fitCalibration, heldOut, tokensOf, type TokenCount } from '@pendro/core/judgement'
import { dataFolder, root } from '../scripts/prepare.mjs'

interface Labelled {
  readonly text: string
  readonly isJunk: boolean
}

/** An open labelled text collection: Reuters-21578, grain or not, as Debian's package weka carries it (unpacked only). */
function collection(): { train: readonly Labelled[]; test: readonly Labelled[] } | null {
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
  const train = read('ReutersGrain-train')
  const test = read('ReutersGrain-test')
  return train && test ? { train, test } : null
}

/** Lines of the form `'text with \' and \n',1` after @data. */
function readArff(source: string): readonly Labelled[] {
  const data = source.slice(source.indexOf('@data'))
  return [...data.matchAll(/^'((?:[^'\\]|\\[\s\S])*)',([01])\s*$/gm)].map(([, text = '', label]) => ({
    text: text.replace(/\\n/g, '\n').replace(/\\(.)/g, '$1'),
    isJunk: label === '1',
  }))
}

interface Score {
  readonly name: string
  readonly accuracy: number
  readonly logLoss: number
  readonly auc: number
}

function ours(train: readonly Labelled[], test: readonly Labelled[]): Score {
  const counts = new Map<string, TokenCount>()
  let [wanted, junk] = [0, 0]
  const tokens = (text: string) => tokensOf({ subject: '', from: [], links: [], text })
  const lessons = train.map(({ text, isJunk }) => ({ tokens: tokens(text), isJunk }))
  for (const { tokens: words, isJunk } of lessons) {
    if (isJunk) junk += 1
    else wanted += 1
    for (const word of words) {
      const before = counts.get(word) ?? { wanted: 0, junk: 0 }
      counts.set(
        word,
        isJunk ? { ...before, junk: before.junk + 1 } : { ...before, wanted: before.wanted + 1 },
      )
    }
  }
  const total = { wanted, junk }
  const calibration = fitCalibration(lessons.map(lesson => heldOut(lesson, { total, tokens: counts })))
  const prior = Math.log(junk / wanted)
  const scored = test.map(({ text, isJunk }) => {
    const verdict = classify(tokens(text), { total, tokens: counts, calibration, furthest: Infinity })
    return { isJunk, p: 1 / (1 + Math.exp(-((verdict?.logOdds ?? 0) + prior))) }
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
function references(train: readonly Labelled[], test: readonly Labelled[]): readonly Score[] {
  const file = join(dataFolder, 'checks', 'collection.json')
  const pairs = (all: readonly Labelled[]) => all.map(({ text, isJunk }) => [text, isJunk ? 1 : 0])
  writeFileSync(file, JSON.stringify({ train: pairs(train), test: pairs(test) }))
  const done = spawnSync('/usr/bin/python3', [join(root, 'bench/classifier-reference.py'), file], {
    encoding: 'utf8',
  })
  if (done.status !== 0) return []
  return done.stdout
    .trim()
    .split('\n')
    .map(line => JSON.parse(line) as Score)
}

/** Our classifier and a general-purpose one on the same data and split, as a section of docs/judgement.md. */
export async function benchClassifier(): Promise<string> {
  const data = collection()
  if (!data) return 'The open text collection could not be fetched on this run; no comparison was made.'
  const scores = [ours(data.train, data.test), ...references(data.train, data.test)]
  const rows = scores.map(
    s => `| ${s.name} | ${(s.accuracy * 100).toFixed(1)} % | ${s.logLoss.toFixed(4)} | ${s.auc.toFixed(4)} |`,
  )
  const junk = data.test.filter(({ isJunk }) => isJunk).length
  return [
    `On an open labelled collection (Reuters-21578, "grain" or not, ModApte split as packaged in Debian weka): ${data.train.length} texts to learn from, ${data.test.length} to judge, ${junk} of these "grain".`,
    scores.length === 1
      ? 'scikit-learn was not on the machine of this run (Debian python3-sklearn).'
      : 'Our smoothing and damping were chosen on this collection, so its own numbers flatter a little. References: scikit-learn from Debian python3-sklearn, same data and split (bench/classifier-reference.py).',
    '',
    '| classifier | accuracy | log-loss | area under the ROC curve |',
    '|---|---|---|---|',
    ...rows,
  ].join('\n')
}
