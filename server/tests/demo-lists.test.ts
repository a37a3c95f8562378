import { afterAll, beforeAll, expect, test } from 'vitest'
import { parsePattern, patternText } from '@pendro/core/senders'
import { changesNothing, reach } from '@pendro/core/rulings'
import type { Filled } from '../../scripts/fill-demo.ts'
import { select, type Database } from '../src/db/database.ts'
import { readOrganisation } from '../src/db/organisation.ts'
import { allEntries } from '../src/lists/entries.ts'
import { allSeen } from '../src/lists/seen.ts'
import { runUpkeep } from '../src/upkeep/look-over.ts'
import type { KeptRemedy } from '../src/db/models/shapes.ts'
import { demoNow as now, filledDemo } from './filled-demo.ts'

let db: Database
let filled: Filled

interface Found {
  readonly kind: string
  readonly pattern: string
  readonly standing: string
  readonly address: string | null
  readonly remedies: readonly KeptRemedy[]
}
let found: readonly Found[]

beforeAll(async () => {
  ;({ db, filled } = await filledDemo())
  await runUpkeep(db, now)
  found = await select<Found>(
    db,
    `SELECT f.kind, f.remedies, e.pattern, e.standing, b.address FROM upkeep_findings f
     JOIN upkeep_finding_entries x ON x.finding_key = f.finding_key JOIN sender_entries e ON e.id = x.entry_id
     LEFT JOIN mailboxes b ON b.id = e.mailbox_id WHERE x.place = 0 OR f.kind IN ('contradicts', 'for-everyone')`,
  )
}, 300_000)
afterAll(() => db.close())

const canonical = (text: string) => {
  const parsed = parsePattern(text)
  if (!parsed.ok) throw new Error(text)
  return patternText(parsed.value)
}

test('upkeep finds everything that was planted in the demo’s lists, and invents nothing', () => {
  const planted = filled.register.flatMap(({ planted: kind, pattern, standing, owner }) =>
    kind === undefined ? [] : [`${kind}: ${standing} ${canonical(pattern)} ${owner ?? 'organisation'}`],
  )
  const told = found.map(
    ({ kind, pattern, standing, address }) => `${kind}: ${standing} ${pattern} ${address ?? 'organisation'}`,
  )
  const missed = planted.filter(one => !told.includes(one))
  const invented = told.filter(one => !planted.includes(one))
  expect({ missed, invented }).toEqual({ missed: [], invented: [] })
  expect(new Set(found.map(({ kind }) => kind)).size).toBe(10)
  expect(planted.length).toBeGreaterThan(120)
})

test('every remedy that promises to change nothing is proven by replaying the month', async () => {
  const organisation = await readOrganisation(db)
  const entries = await allEntries(db)
  const looked = { since: new Date(now.getTime() - 30 * 86_400_000), mailboxIds: null }
  const history = []
  for await (const { seen } of allSeen(db, organisation, looked)) history.push(...seen)
  const tidy = found.filter(({ kind }) => ['covered', 'duplicate', 'expired'].includes(kind))
  expect(tidy.length).toBeGreaterThanOrEqual(5)
  const ends = tidy.flatMap(({ remedies }) => remedies[0]?.end ?? [])
  for (const chosen of [...ends.map(id => [id]), ends]) {
    const end = entries.filter(({ id }) => chosen.includes(id))
    expect(end).toHaveLength(chosen.length)
    const replayed = reach({ add: [], end }, entries, history, {
      policy: organisation.policy,
      now: now.getTime(),
    })
    expect(changesNothing(replayed)).toBe(true)
  }
  // The covered ones did meet mail: the replay had something to prove.
  const covered = entries.filter(({ id }) => ends.includes(id))
  expect(
    reach({ add: [], end: covered }, entries, history, { policy: organisation.policy, now: now.getTime() })
      .looked,
  ).toBeGreaterThan(5)
})
