import { readdirSync, readFileSync, statSync } from 'node:fs'
import { join, relative } from 'node:path'
import ts from 'typescript'
import { describe, expect, test } from 'vitest'
import { order } from '../../server/order.mjs'
import { root } from '../prepare.mjs'

const source = join(root, 'server/src')

function filesBelow(folder: string): string[] {
  return readdirSync(folder).flatMap(name => {
    const path = join(folder, name)
    return statSync(path).isDirectory() ? filesBelow(path) : path.endsWith('.ts') ? [path] : []
  })
}

const files = filesBelow(source)
  .map(path => ({ name: relative(source, path), text: readFileSync(path, 'utf8') }))
  // What a migration does was done once.
  .filter(({ name }) => !name.startsWith('db/migrations/'))

const writers = (pattern: RegExp) => files.filter(({ text }) => pattern.test(text)).map(({ name }) => name)

test('every folder of the server has its place in server/order.mjs', () => {
  const folders = readdirSync(source).filter(name => statSync(join(source, name)).isDirectory())
  expect([...order].sort()).toEqual(folders.sort())
})

describe('one door for each change: who writes what', () => {
  test.each<[what: string, pattern: RegExp, where: readonly string[]]>([
    ['acts of people', /'rulings',|UPDATE rulings|INTO rulings/, ['acts/ruling-rows.ts']],
    [
      'what an act touched',
      /'ruling_(?:deliveries|entries)',|INTO ruling_(?:deliveries|entries)/,
      ['acts/ruling-rows.ts'],
    ],
    ['the state of a delivery', /UPDATE (?:IGNORE )?deliveries SET state/, ['deliveries/move.ts']],
    [
      'jobs of the outbox',
      /^\s*'outbox',$|INTO outbox|UPDATE outbox|DELETE FROM outbox/m,
      ['outbox/finish.ts', 'outbox/queue.ts'],
    ],
    [
      'what people decide',
      /\binsertRuling\(|\bchangeLists\(/,
      ['acts/ruling-rows.ts', 'lists/change.ts', 'rulings/write.ts'],
    ],
    ['messages', /^\s*'messages',$|INTO messages\b/m, ['intake/store-messages.ts']],
    ['new deliveries', /^\s*'deliveries',$|INTO deliveries\b/m, ['intake/store-deliveries.ts']],
    ['what a process has for itself', /FOR UPDATE SKIP LOCKED[\s\S]*claimed_until/, ['jobs/claim.ts']],
    ['the record', /'record_entries',|INTO record_entries/, ['record/write.ts']],
    ['live events', /'live_events',|INTO live_events/, ['live/events.ts']],
  ])('%s', (_what, pattern, where) => {
    expect(writers(pattern).sort()).toEqual([...where].sort())
  })
})

function sourcesBelow(folder: string): { name: string; source: ts.SourceFile }[] {
  return readdirSync(folder).flatMap(name => {
    const path = join(folder, name)
    if (statSync(path).isDirectory()) return sourcesBelow(path)
    if (!/\.tsx?$/.test(name) || name.endsWith('.d.ts')) return []
    const text = readFileSync(path, 'utf8')
    const kind = name.endsWith('x') ? ts.ScriptKind.TSX : ts.ScriptKind.TS
    const source = ts.createSourceFile(path, text, ts.ScriptTarget.Latest, true, kind)
    return [{ name: relative(root, path), source }]
  })
}

describe('a reader can hold each function in the head', () => {
  const longest = 60
  function longFunctions(folder: string): string[] {
    const found: string[] = []
    for (const { name, source } of sourcesBelow(join(root, folder))) {
      const look = (node: ts.Node) => {
        if (ts.isFunctionLike(node) && 'body' in node && node.body) {
          const line = (at: number) => source.getLineAndCharacterOfPosition(at).line
          const lines = line(node.end) - line(node.getStart()) + 1
          if (lines > longest) found.push(`${name}:${line(node.getStart()) + 1} (${lines} lines)`)
        }
        node.forEachChild(look)
      }
      look(source)
    }
    return found
  }
  test.each([
    ['server/src', 3],
    ['web/src', 10],
  ])(`functions of more than ${longest} lines in %s: %i at most`, (folder, most) => {
    const found = longFunctions(folder)
    expect(found.length, found.join('\n')).toBeLessThanOrEqual(most)
  })
})

test.each(['core/src', 'contract/src'])(
  'what %s gives to others says what it is: four fifths at least',
  folder => {
    const bare: string[] = []
    let all = 0
    for (const { name, source } of sourcesBelow(join(root, folder)))
      source.forEachChild(node => {
        const isExported =
          ts.canHaveModifiers(node) &&
          ts.getModifiers(node)?.some(({ kind }) => kind === ts.SyntaxKind.ExportKeyword)
        if (!isExported) return
        all += 1
        if (ts.getJSDocCommentsAndTags(node).length === 0)
          bare.push(`${name}: ${node.getText().slice(0, 60)}`)
      })
    expect(all).toBeGreaterThan(150)
    expect(bare.length / all, bare.join('\n')).toBeLessThanOrEqual(0.2)
  },
)
