import { execFileSync } from 'node:child_process'
import {
  appendFileSync,
  mkdirSync,
  mkdtempSync,
  renameSync,
  rmSync,
  symlinkSync,
  unlinkSync,
  writeFileSync,
} from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { execute, select } from '../src/db/database.ts'
import { createLearning, listRuns, type Learning, type Wanted } from '../src/history/learning.ts'
import { readPath } from '../src/history/routes.ts'
import { findFolders, maildirSource, mboxSource, within } from '../src/history/sources.ts'
import { readHere } from '../src/reading/reader.ts'
import { pendro } from '../src/record/write.ts'
import { startRealStore, type RealStore } from '@pendro/stand-ins/real-store'
import { startTestServer, type TestServer } from './support.ts'

const folder = mkdtempSync(join(tmpdir(), 'pendro-history-'))
let server: TestServer
beforeAll(async () => {
  server = await startTestServer()
})
afterAll(async () => {
  await server.close()
  rmSync(folder, { recursive: true, force: true })
})

let serial = 0
const letter = ({
  from = 'Lars <lars@shipyard.example>',
  to = 'ingrid@harbour.example',
  more = [] as string[],
} = {}) => {
  serial += 1
  return [
    `From: ${from}`,
    `To: ${to}`,
    `Subject: Berth ${serial}`,
    `Message-ID: <before${serial}@before.example>`,
    ...more,
    '',
    `The berth is free in week ${serial}.`,
    '',
  ].join('\n')
}
const outgoing = (to: string, more: string[] = []) =>
  letter({ from: 'Ingrid <ingrid@harbour.example>', to, more })
const mbox = (letters: readonly string[]) =>
  letters.map(text => `From somebody@x.example Mon Nov 23 08:12:00 2026\n${text}\n`).join('')

const open: Learning[] = []
const learningHere = (): Learning => {
  const learning = createLearning({ db: server.db, read: readHere.read, now: () => server.clock.now, folder })
  open.push(learning)
  return learning
}
afterEach(async () => {
  for (const learning of open.splice(0)) await learning.close()
})
beforeEach(() =>
  execute(server.db, "UPDATE history_runs SET state = 'done' WHERE state IN ('learning', 'undoing')"),
)

const all = async (learning: Learning) => {
  while ((await learning.work()) > 0);
}
const newest = async () => (await listRuns(server.db))[0]
const written = (address: string) =>
  select<{ n: number }>(server.db, 'SELECT n FROM correspondence WHERE address = :address', { address })
const begin = (
  learning: Learning,
  source: Wanted['source'],
  verdict: Wanted['verdict'] = 'sent',
  password?: string,
) =>
  learning.begin(
    { mailboxId: server.mailbox('ingrid'), verdict, source, ...(password === undefined ? {} : { password }) },
    pendro,
  )

describe('learning from an mbox file', () => {
  test('in parts, with how far it is; undone, nothing of it is left', async () => {
    const to = Array.from({ length: 250 }, (_, i) => `guest${i % 10}@far-${i % 3}.example`)
    writeFileSync(join(folder, 'sent'), mbox(to.map(address => outgoing(address))))
    const learning = learningHere()
    const id = await begin(learning, { kind: 'mbox', path: 'sent' })
    await learning.work()
    const half = await newest()
    expect(half).toMatchObject({ id, state: 'learning', taken: 100 })
    expect(half?.done).toBeGreaterThan(0)
    expect(half?.done).toBeLessThan(half?.total ?? 0)
    await all(learning)
    expect(await newest()).toMatchObject({ state: 'done', taken: 250, left_out: 0, problem: '' })
    expect(await written('guest0@far-0.example')).toEqual([{ n: 9 }])
    // The same file once more teaches nothing.
    await begin(learning, { kind: 'mbox', path: 'sent' })
    await all(learning)
    expect(await newest()).toMatchObject({ state: 'done', taken: 0, left_out: 250 })
    await learning.undo(id, pendro)
    await all(learning)
    expect(await written('guest0@far-0.example')).toEqual([])
    expect((await listRuns(server.db)).find(run => run.id === id)?.state).toBe('undone')
  })
  test('another process goes on where one ended', async () => {
    writeFileSync(
      join(folder, 'long'),
      mbox(Array.from({ length: 230 }, () => outgoing('partner@quay.example'))),
    )
    const first = learningHere()
    await begin(first, { kind: 'mbox', path: 'long' })
    await first.work()
    await all(learningHere())
    expect(await newest()).toMatchObject({ state: 'done', taken: 230 })
    expect(await written('partner@quay.example')).toEqual([{ n: 230 }])
  })
  test('stopped, and gone on with', async () => {
    writeFileSync(
      join(folder, 'stopped'),
      mbox(Array.from({ length: 150 }, () => outgoing('partner@pier.example'))),
    )
    const learning = learningHere()
    const id = await begin(learning, { kind: 'mbox', path: 'stopped' })
    await learning.work()
    await learning.stop(id)
    expect(await learning.work()).toBe(0)
    expect(await newest()).toMatchObject({ state: 'stopped', taken: 100 })
    await learning.resume(id, undefined)
    await all(learning)
    expect(await newest()).toMatchObject({ state: 'done', taken: 150 })
  })
  test('automatic replies among what was sent make nobody known', async () => {
    writeFileSync(
      join(folder, 'replies'),
      mbox([
        outgoing('attacker@evil.example', ['Auto-Submitted: auto-replied']),
        outgoing('friend@good.example'),
      ]),
    )
    const learning = learningHere()
    await begin(learning, { kind: 'mbox', path: 'replies' })
    await all(learning)
    expect(await newest()).toMatchObject({ taken: 1, left_out: 1 })
    expect(await written('attacker@evil.example')).toEqual([])
    expect(await written('friend@good.example')).toEqual([{ n: 1 }])
  })
  test('a file that is no mbox, none at all, and one outside of the folder', async () => {
    writeFileSync(join(folder, 'notes'), 'Some notes.\n')
    const learning = learningHere()
    const problem = (path: string) =>
      begin(learning, { kind: 'mbox', path }).catch(
        (error: { facts?: { problem?: string } }) => error.facts?.problem,
      )
    expect(await problem('notes')).toBe('not-mbox')
    expect(await problem('nowhere')).toBe('not-there')
    expect(await problem('../../etc/passwd')).toBe('not-there')
    symlinkSync('/etc', join(folder, 'way-out'))
    expect(await problem('way-out/passwd')).toBe('not-there')
    await expect(within('', 'sent')).rejects.toThrow()
  })
  test('broken separators: what is too large for one message is left out in bounded parts, and it ends', async () => {
    const path = join(folder, 'broken')
    writeFileSync(path, mbox([letter()]))
    for (let i = 0; i < 20; i += 1) appendFileSync(path, 'x'.repeat(999_999) + '\n')
    const source = await mboxSource(path)
    let [place, parts, messages, leftOut] = ['', 0, 0, 0]
    for (;;) {
      const part = await source.next(place)
      parts += 1
      messages += part.messages.length
      leftOut += part.leftOut
      place = part.place
      if (part.isEnd || parts > 100) break
    }
    await source.close()
    expect([messages, leftOut]).toEqual([0, 1])
    expect(parts).toBeLessThan(100)
  })
  test('a file that has become another one fails the run, and says so', async () => {
    writeFileSync(join(folder, 'swapped'), mbox(Array.from({ length: 150 }, () => letter())))
    const learning = learningHere()
    await begin(learning, { kind: 'mbox', path: 'swapped' }, 'wanted')
    await learning.work()
    await learning.close()
    writeFileSync(join(folder, 'swapped'), mbox([letter()]))
    await all(learning)
    expect(await newest()).toMatchObject({ state: 'failed', problem: 'changed' })
  })
})

describe('learning from a Maildir', () => {
  const make = (name: string) => {
    for (const part of ['cur', 'new', 'tmp']) mkdirSync(join(folder, name, part), { recursive: true })
    return join(folder, name)
  }
  test('written by Python’s mailbox module, both of its folders', async () => {
    const path = join(folder, 'python')
    execFileSync('python3', [
      '-c',
      `
import mailbox, sys
box = mailbox.Maildir(sys.argv[1])
for n in range(120):
    message = mailbox.MaildirMessage(f"From: Ingrid <ingrid@harbour.example>\\nTo: maildir{n % 4}@far.example\\nSubject: {n}\\n\\nText {n}.")
    message.set_subdir("cur" if n % 2 else "new")
    message.set_flags("S" if n % 2 else "")
    box.add(message)
`,
      path,
    ])
    const learning = learningHere()
    await begin(learning, { kind: 'maildir', path: 'python' })
    await all(learning)
    expect(await newest()).toMatchObject({ state: 'done', taken: 120, done: 120, total: 120 })
    expect(await written('maildir0@far.example')).toEqual([{ n: 30 }])
  })
  test('that changes while it is read: renamed, gone, and come', async () => {
    const path = make('changing')
    for (let i = 100; i < 350; i += 1) writeFileSync(join(path, 'new', `${i}.a.host`), letter())
    const source = maildirSource(path)
    const first = await source.next('')
    expect([first.messages.length, first.total]).toEqual([100, 250])
    // A mail program reads: new ones go to cur, flags change, some are deleted.
    for (let i = 100; i < 300; i += 1)
      renameSync(join(path, 'new', `${i}.a.host`), join(path, 'cur', `${i}.a.host:2,S`))
    unlinkSync(join(path, 'new', '340.a.host'))
    writeFileSync(join(path, 'new', '360.a.host'), letter())
    let [place, n] = [first.place, first.messages.length]
    for (;;) {
      const part = await source.next(place)
      n += part.messages.length
      place = part.place
      if (part.isEnd) break
    }
    expect(n).toBe(250)
  })
  test('drafts and what was thrown away teach nothing', async () => {
    const path = make('drafts')
    writeFileSync(join(path, 'cur', '1.a:2,DS'), letter())
    writeFileSync(join(path, 'cur', '2.a:2,ST'), letter())
    writeFileSync(join(path, 'cur', '3.a:2,S'), letter())
    expect(await maildirSource(path).next('')).toMatchObject({ leftOut: 2, isEnd: true, done: 3 })
  })
})

describe('learning from an IMAP account, with Dovecot', () => {
  let imap: RealStore
  beforeAll(async () => {
    imap = await startRealStore({ accounts: { ingrid: 'ferry at dawn', aksel: 'ferry at dusk' } })
    for (let i = 0; i < 150; i += 1) imap.put('ingrid', 'Sent', outgoing('imap@far.example'))
    for (let i = 0; i < 150; i += 1) imap.put('aksel', 'INBOX', letter())
  })
  afterAll(() => imap.close())
  const source = (user: string, name: string) =>
    ({ kind: 'imap', host: '127.0.0.1', port: imap.port, tls: 'off', user, folder: name }) as const

  test('a folder, in parts', async () => {
    const learning = learningHere()
    await begin(learning, source('ingrid', 'Sent'), 'sent', 'ferry at dawn')
    await learning.work()
    expect(await newest()).toMatchObject({ state: 'learning', taken: 100, done: 100, total: 150 })
    await all(learning)
    expect(await newest()).toMatchObject({ state: 'done', taken: 150 })
    expect(await written('imap@far.example')).toEqual([{ n: 150 }])
    const kept = await select(
      server.db,
      "SELECT id FROM history_runs WHERE CONCAT(source, problem, name) LIKE '%dawn%'",
    )
    expect(kept).toEqual([])
  })
  test.each([
    ['a wrong password', () => source('ingrid', 'Sent'), 'ferry at noon', 'sign-in'],
    ['no such folder', () => source('ingrid', 'Nowhere'), 'ferry at dawn', 'no-folder'],
    ['nobody there', () => ({ ...source('ingrid', 'Sent'), port: 1 }), 'x', 'no-answer'],
  ] as const)('%s is told before anything begins', async (_, from, password, problem) => {
    const failed = await begin(learningHere(), from(), 'sent', password).catch(
      (error: { facts?: { problem?: string } }) => error.facts?.problem,
    )
    expect(failed).toBe(problem)
  })
  test('a login that is withdrawn half-way: it says so, and goes on with a new one', async () => {
    const learning = learningHere()
    const id = await begin(learning, source('aksel', 'INBOX'), 'wanted', 'ferry at dusk')
    await learning.work()
    await imap.changePasswordOf('aksel', 'ferry at night')
    // Its connection is cut, as a server does that shuts somebody out.
    await learning.close()
    await learning.work()
    expect(await newest()).toMatchObject({ state: 'failed', problem: 'sign-in', taken: 100 })
    await learning.resume(id, 'ferry at night')
    await all(learning)
    expect(await newest()).toMatchObject({ state: 'done', taken: 150 })
  })
  test('no other process takes it up: it does not have the password', async () => {
    const learning = learningHere()
    await begin(learning, source('aksel', 'INBOX'), 'wanted', 'ferry at night')
    expect(await learningHere().work()).toBe(0)
    expect(await learning.work()).toBe(1)
  })
})

test('folders there are, and what their paths say', async () => {
  const root = mkdtempSync(join(tmpdir(), 'pendro-folders-'))
  mkdirSync(join(root, 'ingrid@harbour.example', 'junk', 'cur'), { recursive: true })
  mkdirSync(join(root, 'ingrid@harbour.example', 'junk', 'new'))
  writeFileSync(join(root, 'ingrid@harbour.example', 'sent.mbox'), mbox([letter()]))
  writeFileSync(join(root, 'ingrid@harbour.example', 'readme'), 'nothing')
  const found = await findFolders(root)
  expect(found.map(({ path, kind }) => [path, kind])).toEqual([
    ['ingrid@harbour.example/junk', 'maildir'],
    ['ingrid@harbour.example/sent.mbox', 'mbox'],
  ])
  rmSync(root, { recursive: true })
})

test.each([
  ['ingrid@harbour.example/sent.mbox', 'ingrid@harbour.example', 'sent'],
  ['ingrid@harbour.example/.Sent', 'ingrid@harbour.example', 'sent'],
  ['Ingrid@Harbour.example/Junk', 'ingrid@harbour.example', 'junk'],
  ['ingrid@harbour.example/spam.2024.mbox', 'ingrid@harbour.example', 'junk'],
  ['ingrid@harbour.example/INBOX', 'ingrid@harbour.example', 'wanted'],
  ['ingrid@harbour.example', 'ingrid@harbour.example', 'wanted'],
  ['old/ingrid@harbour.example/archive/2024', 'ingrid@harbour.example', 'wanted'],
  ['ingrid@harbour.example/Projects', 'ingrid@harbour.example', null],
  ['sent.mbox', null, 'sent'],
  ['sentry.mbox', null, null],
])('%s: whose it is and what', (path, address, verdict) => {
  expect(readPath(path)).toEqual({ address, verdict })
})
