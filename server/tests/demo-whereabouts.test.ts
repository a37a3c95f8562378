import { afterAll, beforeAll, expect, test } from 'vitest'
import type { WhereAnswer, WhereHit, WhereQuestion } from '@pendro/contract'
import { findRow, select, type Database } from '../src/db/database.ts'
import { lookFor } from '../src/whereabouts/look.ts'
import { demoNow as now, filledDemo } from './filled-demo.ts'

let db: Database
beforeAll(async () => {
  ;({ db } = await filledDemo())
}, 300_000)
afterAll(() => db.close())

const blank: WhereQuestion = { from: '', to: '', about: '', when: '' }

/** A call to the help desk: what is asked, and what the first answer has to be. */
type Call = readonly [question: Partial<WhereQuestion>, right: (hit: WhereHit) => boolean]

const from =
  (address: string, more: (hit: WhereHit) => boolean = () => true) =>
  (hit: WhereHit) =>
    hit.fromAddress === address && more(hit)
const about = (pattern: RegExp) => (hit: WhereHit) => pattern.test(hit.subject)
const state = (name: string) => (hit: WhereHit) => hit.state === name
const to = (name: string) => (hit: WhereHit) => hit.to === name
const both =
  (...tests: readonly ((hit: WhereHit) => boolean)[]) =>
  (hit: WhereHit) =>
    tests.every(one => one(hit))

const found: readonly Call[] = [
  // as it is written
  [
    { from: 'halyard-print.example', about: 'timetable proof' },
    both(hit => hit.fromAddress.endsWith('@halyard-print.example'), about(/proof/i)),
  ],
  [
    { from: 'Halyard Print Works', to: 'Ingrid Solvang' },
    both(hit => /^proofs@halyard-print(-\w+)?\.example$/.test(hit.fromAddress), to('Ingrid Solvang')),
  ],
  [{ from: 'Jonas Wikmar', to: 'Crewing' }, from('jonas.wikmar@freepost.example', to('Crewing'))],
  [{ about: 'rote Jacke', to: 'Ticket Office' }, both(about(/rote Jacke/), to('Ticket Office'))],
  // Branches of the same name write, too.
  [
    { from: 'Pilot Exam Office', about: 'exam dates' },
    both(hit => /^kontor@losprove(-\w+)?\.example$/.test(hit.fromAddress), about(/exam dates/)),
  ],
  [{ from: 'Brannvernskolen' }, hit => hit.fromAddress.endsWith('@brannvernskolen.example')],
  [{ about: 'Gale bulletin', to: 'Bridge Team' }, both(about(/Gale bulletin/), to('Bridge Team'))],
  [{ from: 'uszczelki-baltyk.example' }, hit => hit.fromAddress.endsWith('@uszczelki-baltyk.example')],
  [
    { from: 'fjellby-skole.example', to: 'Group Bookings' },
    both(hit => hit.fromAddress.endsWith('@fjellby-skole.example'), to('Group Bookings')),
  ],
  // names in any order, parts of names, without accents
  [{ from: 'lantern bureau', about: 'certificate' }, from('reports@lantern-class.example')],
  [
    { from: 'baltyk catering ksiegowosc' },
    hit => /^faktury@baltyk-catering(-\w+)?\.example$/.test(hit.fromAddress),
  ],
  [{ from: 'marek bosmanski', to: 'crewing' }, from('marek.bosmanski@freepost.example')],
  [{ from: 'skarvoy havnekontor' }, hit => hit.fromAddress.endsWith('@skarvoy-havn.example')],
  [
    { from: 'bucher an der mole' },
    hit => /mole|xn--bcher/.test(hit.fromAddress) || /Mole/.test(hit.fromName),
  ],
  [
    { to: 'lukasz sztormik', about: 'exam' },
    both(about(/exam/i), hit => hit.to.startsWith('Łukasz') || hit.label === 'other-colleague'),
  ],
  // misspelt
  [{ from: 'halyrd print' }, hit => hit.fromAddress.includes('halyard-print')],
  [{ from: 'Stanswerk Lagune' }, from('daten@stanzwerk-lagune.example')],
  [{ from: 'fjelby skole' }, hit => hit.fromAddress.includes('fjellby-skole')],
  [{ from: 'nordlis marine survey' }, hit => hit.fromAddress.includes('nordlys-survey')],
  [{ from: 'Jonas Vikmar' }, from('jonas.wikmar@freepost.example')],
  [{ from: 'sunnniva oden' }, from('sunniva.odden@freepost.example')],
  [{ from: 'hermine wellenkmap' }, from('h.wellenkamp@freepost.example')],
  [{ from: 'kontor@fjellby-skole.exmaple' }, from('kontor@fjellby-skole.example')],
  [{ from: 'proofs@haylard-print.example' }, from('proofs@halyard-print.example')],
  [{ from: 'losprøve.example' }, hit => hit.fromAddress.endsWith('losprove.example')],
  // by an alias, by a department, by the shared mailbox's other name
  [
    { from: 'fjellby', to: 'gruppen@vindholm.example' },
    both(to('Group Bookings'), hit => hit.fromAddress.includes('fjellby')),
  ],
  [{ from: 'wikmar', to: 'jobb@vindholm.example' }, from('jonas.wikmar@freepost.example', to('Crewing'))],
  [
    { about: 'proof', to: 'isolvang@vindholm.example', from: 'halyard' },
    both(to('Ingrid Solvang'), about(/proof/i)),
  ],
  [{ from: 'bosmanski', to: 'crewing desk' }, from('marek.bosmanski@freepost.example')],
  // moved by a rule of their own
  [
    { from: 'skery freight', to: 'Freight Desk', about: 'manifest correction' },
    both(state('moved'), about(/^Manifest correction/), to('Freight Desk')),
  ],
  [
    { from: 'havbris', to: 'aksel brandt', about: 'forecast' },
    both(state('moved'), about(/^Route forecast/), to('Aksel Brandt')),
  ],
  // refused at the door: a wrong address, a message too large
  [
    { from: 'quayside dental', to: 'Kari Moen' },
    both(hit => hit.kind === 'refused', from('elin.sorvik@quayside-dental.example')),
  ],
  [
    { from: 'brinemark-yard.example', to: 'Tore Vik' },
    from('drawings@brinemark-yard.example', hit => hit.kind === 'refused'),
  ],
  [{ from: 'isle council', to: 'invoices' }, from('paymaster@isle-council.example')],
  // out of the house
  [
    { from: 'Ingrid Solvang', about: 'question' },
    hit => hit.kind === 'outbound' && hit.fromAddress.startsWith('ingrid.solvang@'),
  ],
]

/** Mail that never came: what may be said of its domain. */
const never: readonly (readonly [Partial<WhereQuestion>, string])[] = [
  [{ from: 'holmfjord-tau.example', to: 'Aksel Brandt' }, 'holmfjord-tau.example'],
  [{ from: 'anna@no-such-firm.example', when: 'yesterday' }, 'no-such-firm.example'],
  [{ from: 'berit.photos@sisters-place.example', to: 'Kari Moen', about: 'photos' }, 'sisters-place.example'],
  [{ from: 'grandmaster zebulon' }, ''],
  [{ from: 'wxyz@qqqq.example', to: 'nobody@vindholm.example' }, 'qqqq.example'],
]

test('of 40 questions at least 36 have the right answer first, and none gets a false “nothing came”', async () => {
  expect(found.length + never.length).toBe(40)
  const wrong: string[] = []
  const ask = async (question: Partial<WhereQuestion>) => lookFor(db, null, { ...blank, ...question }, now)
  for (const [question, right] of found) {
    const { hits, nothing } = await ask(question)
    expect([question, nothing]).toEqual([question, null])
    const [first] = hits
    if (!first || !right(first))
      wrong.push(`${JSON.stringify(question)}: ${first?.fromAddress} “${first?.subject}” to ${first?.to}`)
  }
  for (const [question, domain] of never) {
    const answer = await ask(question)
    if (answer.nothing?.domain !== domain)
      wrong.push(`${JSON.stringify(question)}: ${answer.hits[0]?.fromAddress} “${answer.hits[0]?.subject}”`)
    else await expectNothing(answer)
  }
  expect(wrong.length, wrong.join('\n')).toBeLessThanOrEqual(4)
})

test('no sender of the demo with one slip in any label of its domain gets a false “nothing came”', async () => {
  const rows = await select<{ domain: string }>(
    db,
    "SELECT DISTINCT SUBSTRING_INDEX(from_address, '@', -1) AS domain FROM messages WHERE direction = 'in' AND from_address LIKE '%@%.%'",
  )
  // Of each label one letter is left out; where that is, goes round with the number of the domain.
  const typed = rows.flatMap(({ domain }, n) => {
    const labels = domain.split('.')
    return labels.slice(0, -1).flatMap((label, i) => {
      if (label.length < 5) return []
      const at = 1 + ((n + i) % (label.length - 2))
      const wrong = label.slice(0, at) + label.slice(at + 1)
      return [{ domain, wrong: [...labels.slice(0, i), wrong, ...labels.slice(i + 1)].join('.') }]
    })
  })
  expect(typed.length).toBeGreaterThan(60)
  const missed: string[] = []
  for (const { domain, wrong } of typed) {
    const { hits, nothing } = await lookFor(db, null, { ...blank, from: wrong }, now)
    if (nothing !== null || hits.length === 0) missed.push(`${wrong} for ${domain}`)
  }
  expect(missed).toEqual([])
}, 120_000)

/** Counted by a plain scan, which knows nothing of how we look. */
async function expectNothing({ nothing }: WhereAnswer): Promise<void> {
  if (!nothing || nothing.domain === '') return
  const scanned = await findRow<{ n: number }>(
    db,
    `SELECT (SELECT COUNT(*) FROM messages WHERE from_address LIKE :end OR envelope_from LIKE :end)
       + (SELECT COUNT(*) FROM refusals WHERE envelope_from LIKE :end) AS n`,
    { end: `%@${nothing.domain}` },
  )
  expect([nothing.domain, scanned?.n, nothing.lastAt]).toEqual([nothing.domain, 0, null])
}
