import { readdirSync, readFileSync, statSync } from 'node:fs'
import { join, relative } from 'node:path'
import ts from 'typescript'
import { describe, expect, test } from 'vitest'
import { order } from '../../server/order.mjs'
import { root } from '../prepare.mjs'
import { allModels, modelsByName } from '../../server/src/db/models/index.ts'

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

type Verb = 'insert' | 'update' | 'remove'

/** Who writes a table: through its model or by SQL text. `columns`: an update counts only when it sets one of them. */
function writersOf(table: string, verbs: readonly Verb[], column?: string): string[] {
  const model = allModels.find(one => one.table === table)
  const name = Object.entries(modelsByName).find(([, one]) => one === model)?.[0]
  if (name === undefined) throw new Error(`${table} has no model`)
  const sets = (set: string) => (column === undefined ? '' : `${set}\\b${column}\\b`)
  const patterns: Record<Verb, string> = {
    insert: `\\b(?:insert|insertOne|upsert)\\(\\s*[\\w.]+,\\s*${name}\\b|(?:INSERT|REPLACE)(?: IGNORE)? INTO ${table}\\b`,
    update: `\\bupdate\\(\\s*[\\w.]+,\\s*${name},${sets('\\s*\\{[^}]*')}|UPDATE (?:IGNORE )?${table}\\b${sets(' SET (?:(?! WHERE)[^`])*?')}`,
    remove: `\\bremove\\(\\s*[\\w.]+,\\s*${name}\\b|DELETE FROM ${table}\\b`,
  }
  return writers(new RegExp(verbs.map(verb => patterns[verb]).join('|')))
}

const every: readonly Verb[] = ['insert', 'update', 'remove']

describe('one door for each change: who writes what', () => {
  test.each<[table: string, verbs: readonly Verb[], where: readonly string[], column?: string]>([
    ['rulings', every, ['acts/ruling-rows.ts']],
    ['ruling_deliveries', every, ['acts/ruling-rows.ts']],
    ['ruling_entries', every, ['acts/ruling-rows.ts']],
    ['deliveries', ['update'], ['deliveries/move.ts'], 'state'],
    ['deliveries', ['insert', 'remove'], ['intake/store-deliveries.ts']],
    ['outbox', every, ['outbox/finish.ts', 'outbox/queue.ts']],
    ['messages', ['insert', 'remove'], ['intake/store-messages.ts']],
    ['message_sources', every, ['intake/store-messages.ts']],
    ['sender_entries', ['insert'], ['lists/entries.ts']],
    ['lessons', every, ['rulings/learning.ts']],
    ['record_entries', every, ['record/write.ts']],
    ['live_events', every, ['live/events.ts']],
  ])('%s: %s', (table, verbs, where, column) => {
    expect(writersOf(table, verbs, column).sort()).toEqual([...where].sort())
  })

  test('what people decide is carried out in one place', () => {
    expect(writers(/\binsertRuling\(|\bchangeLists\(/).sort()).toEqual([
      'acts/ruling-rows.ts',
      'lists/change.ts',
      'rulings/write.ts',
    ])
  })

  test('what a process takes for itself it takes by one claim', () => {
    expect(writers(/FOR UPDATE SKIP LOCKED[\s\S]*claimed_until/)).toEqual(['jobs/claim.ts'])
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

test('what the contract takes from core brings no package into the web’s bundle', () => {
  const seen = new Set<string>()
  const packages = new Set<string>()
  const read = (file: string): void => {
    if (seen.has(file)) return
    seen.add(file)
    const text = readFileSync(file, 'utf8').replaceAll(/import type [^;]*? from '[^']*'/g, '')
    for (const [, from = ''] of text.matchAll(/^(?:import|export)\b[^'"]*? from '([^']+)'/gm)) {
      if (from.startsWith('.')) read(join(file, '..', from))
      else if (from.startsWith('@pendro/core/'))
        read(join(root, 'core/src', from.slice('@pendro/core/'.length), 'index.ts'))
      else if (!from.startsWith('@pendro/')) packages.add(`${relative(root, file)}: ${from}`)
    }
  }
  for (const file of filesBelow(join(root, 'contract/src')).filter(path => !path.includes('/openapi')))
    read(file)
  expect([...packages].filter(one => !one.startsWith('contract/'))).toEqual([])
  expect(seen.size).toBeGreaterThan(20)
})
