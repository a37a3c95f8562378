import { readdirSync, readFileSync, statSync } from 'node:fs'
import { join, relative } from 'node:path'
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
