import { describe, expect, test } from 'vitest'
import { writeLetter } from '../src/letter.ts'
import { makeMail } from '../src/mail.ts'
import { departments, makeColleagues } from '../src/organisation.ts'
import { chanceOf } from '../src/random.ts'
import { makeRegister } from '../src/register.ts'

const now = new Date('2026-11-23T07:55:00Z')
const make = () => {
  const chance = chanceOf(1)
  const colleagues = makeColleagues(chance)
  return {
    colleagues,
    mail: makeMail(colleagues, chance, { now, days: 30 }),
    register: makeRegister(colleagues, chance),
  }
}
const { colleagues, mail, register } = make()

test('240 colleagues in 12 departments, shared mailboxes, two domains; no address twice', () => {
  expect(colleagues.filter(({ kind }) => kind === 'person')).toHaveLength(240)
  expect(new Set(colleagues.map(({ department }) => department)).size).toBe(departments.length)
  const addresses = colleagues.flatMap(({ address, aliases }) => [address, ...aliases])
  expect(new Set(addresses).size).toBe(addresses.length)
  expect(new Set(addresses.map(a => a.split('@')[1]))).toEqual(
    new Set(['vindholm.example', 'vindholm-cargo.example']),
  )
})

test('a month: at least 6,000 messages, both ways, in time order, at least 60 wanted ones made to look like junk', () => {
  expect(mail.length).toBeGreaterThanOrEqual(6000)
  expect(mail.filter(({ direction }) => direction === 'out').length).toBeGreaterThan(300)
  const held = mail.filter(({ cause }) => cause !== null)
  expect(held.length).toBeGreaterThanOrEqual(60)
  expect(new Set(held.map(({ cause }) => cause)).size).toBeGreaterThanOrEqual(20)
  const times = mail.map(({ at }) => at.getTime())
  expect(times).toEqual([...times].sort((a, b) => a - b))
  expect(Math.max(...times)).toBeLessThanOrEqual(now.getTime())
})

test('the same seed and clock make the same bytes', async () => {
  const again = make()
  for (const i of [0, 100, 2500, 5000]) {
    const [a, b] = [mail[i], again.mail[i]]
    if (!a || !b) throw new Error(`no message ${i}`)
    expect(a.serial).toBe(b.serial)
    const strip = (raw: Buffer) => raw.toString('latin1').replace(/--_NmP-[^\s"]+|boundary="[^"]+"/g, '')
    expect(strip((await writeLetter(a.draft, a.at, a.serial)).raw)).toBe(
      strip((await writeLetter(b.draft, b.at, b.serial)).raw),
    )
  }
})

describe('only made-up names', () => {
  const words = mail.flatMap(({ draft }) => [
    draft.subject,
    draft.text,
    draft.html ?? '',
    draft.from.address,
    draft.envelopeFrom ?? '',
    draft.replyTo ?? '',
    ...Object.values(draft.headers ?? {}),
  ])
  const text = words.join('\n')
  test('every domain is under .example (RFC 2606 §3)', () => {
    const hosts = [...text.matchAll(/(?:https?:\/\/|@)([\w.-]+\.[a-z]{2,})/gi)].map(([, host]) => host ?? '')
    expect(hosts.length).toBeGreaterThan(1000)
    expect([...new Set(hosts)].filter(host => !host.endsWith('.example'))).toEqual([])
    expect(
      register
        .map(({ pattern }) => pattern)
        .filter(pattern => !pattern.replace('>', '').endsWith('.example')),
    ).toEqual([])
  })
  test('every network address is one of RFC 5737', () => {
    const addresses = [...text.matchAll(/\b\d{1,3}(?:\.\d{1,3}){3}\b/g)].map(([address]) => address)
    expect(addresses.length).toBeGreaterThan(10)
    expect(addresses.filter(address => !/^(192\.0\.2|198\.51\.100|203\.0\.113)\./.test(address))).toEqual([])
  })
  test('no blank was left unfilled', () => expect(text.match(/\{\w+\}/g)).toBeNull())
  test('four languages', () => {
    for (const word of [' the ', ' og ', ' und ', 'Dzień']) expect(text).toContain(word)
  })
})
