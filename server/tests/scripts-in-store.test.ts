import { execFileSync } from 'node:child_process'
import {
  existsSync,
  mkdtempSync,
  mkdirSync,
  readFileSync,
  readdirSync,
  readlinkSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs'
import { createServer, type Server } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { createTransport } from 'nodemailer'
import { afterAll, afterEach, beforeAll, beforeEach, describe, expect, test } from 'vitest'
import { type MailRuleDraft, type MailStoreShape, type StoreScriptShape } from '@pendro/contract'
import { startRealStore, type RealStore } from '@pendro/stand-ins/real-store'
import { execute, findRow } from '../src/db/database.ts'
import { workScripts } from '../src/mail-rules/in-store.ts'
import { createSecrets, createVault } from '../src/outbox/secrets.ts'
import { readHere } from '../src/reading/reader.ts'
import { createStores } from '../src/stores/stores.ts'
import { enrol, lookNow } from '../src/stores/watch.ts'
import { cutOff } from './cut-off.ts'
import { mailProgram, subjectsByFolder, subjectsOnDisk } from './imap-client.ts'
import { at, routesTo, storeAt } from './store-settings.ts'
import { log, setOrganisation, signedIn, startTestServer, type TestServer } from './support.ts'

/** Rules and replies at Debian's Dovecot. What others write there is written into its files; what is filed is counted by an IMAP client. */
let server: TestServer
let store: RealStore
let folder: string
let oda: Awaited<ReturnType<typeof signedIn>>
const ingrid = 'ingrid@harbour.example'
const secrets = createSecrets(
  { passwordOf: async () => 'a master password' },
  { passwords: '', authorities: '' },
)

beforeAll(async () => {
  folder = mkdtempSync(join(tmpdir(), 'pendro-scripts-'))
  server = await startTestServer(db => ({
    storeView: { secrets, vault: createVault(db, Buffer.alloc(32, 7)), stores: createStores(db, secrets) },
  }))
  store = await startRealStore({
    accounts: {},
    master: { user: 'pendro', password: 'a master password' },
    folder,
    more: 'plugin {\n  sieve_max_script_size = 12k\n}',
  })
  oda = await signedIn(server, 'oda')
})
afterAll(async () => {
  await store.close()
  await server.close()
  rmSync(folder, { recursive: true, force: true })
})

const use = (more: Partial<MailStoreShape> = {}) =>
  setOrganisation(server.db, {
    routes: routesTo(storeAt(store.ports, { asideFolder: 'Set aside', ...more })),
  })

const now = () => server.clock.now
const deps = () => ({ db: server.db, secrets, readScript: readHere.readScript, now, log })
/** Everything that is due. */
async function work(): Promise<void> {
  await enrol(server.db, now())
  while ((await workScripts(deps())) > 0);
}
const anHour = () => {
  server.clock.now = new Date(server.clock.now.getTime() + 3_700_000)
}

const home = () => join(folder, 'home', ingrid)
const scriptFile = (name: string) => join(home(), 'sieve', `${name}.sieve`)
const there = (name: string) => (existsSync(scriptFile(name)) ? readFileSync(scriptFile(name), 'utf8') : null)
const runs = () => {
  try {
    return /([^/]+)\.sieve$/.exec(readlinkSync(join(home(), '.dovecot.sieve')))?.[1] ?? ''
  } catch {
    return ''
  }
}
/** What a colleague’s mail program does at the store, past Pendro. */
function writes(name: string, script: string): void {
  mkdirSync(join(home(), 'sieve'), { recursive: true })
  writeFileSync(scriptFile(name), script)
  execFileSync('chmod', ['-R', 'a+rwX', home()])
}
function makesActive(name: string): void {
  rmSync(join(home(), '.dovecot.sieve'), { force: true })
  symlinkSync(`sieve/${name}.sieve`, join(home(), '.dovecot.sieve'))
}

/** Hands a message to the store past Pendro, or as Pendro would. */
async function deliver(subject: string, fields: Record<string, string> = {}): Promise<void> {
  const transport = createTransport({
    host: '127.0.0.1',
    port: store.ports.lmtp,
    lmtp: true,
    ignoreTLS: true,
  })
  await transport.sendMail({
    from: 'yard@quay-lamps.example',
    to: ingrid,
    subject,
    text: 'The lamps are ready.',
    headers: fields,
  })
  transport.close()
}
/** Subjects by folder, as an IMAP client counts them. */
const filed = () => subjectsByFolder(mailProgram(store.ports.imap, ingrid, 'a master password'))

/** A way to the store that breaks off where somebody says these words. */
const cutsOff = (words: string) => cutOff(store.ports.sieve, { asked: words })

const ingridId = () => server.mailbox('ingrid')
const show = async (fresh = false): Promise<StoreScriptShape> =>
  (await oda.get(`/api/mailboxes/${ingridId()}/script${fresh ? '?fresh=yes' : ''}`)).body as StoreScriptShape
const rule = (word: string, target: string, more: Partial<MailRuleDraft> = {}): MailRuleDraft => ({
  name: `${word} to ${target}`,
  needs: 'all',
  conditions: [{ field: 'subject', test: 'contains', values: [word] }],
  action: { hold: null, place: { kind: 'folder', folder: target }, important: false, stop: false },
  ...more,
})
const addRule = async (draft: MailRuleDraft, mailbox: number | null = ingridId()) =>
  expect(
    (
      await oda.post('/api/mail-rules/changes', {
        mailbox,
        change: { act: 'add', draft },
        token: crypto.randomUUID(),
      })
    ).status,
  ).toBe(200)
const put = (seen: string) => oda.post(`/api/mailboxes/${ingridId()}/script`, { seen, reason: 'asked for' })
const undo = () => oda.post(`/api/mailboxes/${ingridId()}/script/undo`, {})

beforeEach(async () => {
  await use()
  for (const table of ['store_scripts', 'mail_rules', 'automatic_replies'])
    await execute(server.db, `DELETE FROM ${table}`)
  for (const one of [home(), join(folder, 'mail', ingrid)]) rmSync(one, { recursive: true, force: true })
  await addRule(rule('berth', 'Berths'))
})

describe('mail rules and the automatic reply at a mail store', () => {
  test('what reaches the store past Pendro goes by the rules; what Pendro handed over goes where it says, once', async () => {
    await work()
    expect(await show()).toMatchObject({
      keeps: true,
      state: 'kept',
      own: '',
      runs: 'pendro',
      left: [],
      trouble: '',
    })
    await deliver('Plan of berth 4')
    await deliver('Lunch')
    await deliver('Released: berth 5', { 'Pendro-Delivery': '7.x', 'Pendro-Place': 'inbox' })
    await deliver('Junk: berth 6', { 'Pendro-Delivery': '8.x', 'Pendro-Place': 'junk' })
    await deliver('A rule', { 'Pendro-Delivery': '9.x', 'Pendro-Place': 'moved', 'Pendro-Folder': 'Yard' })
    const places = {
      INBOX: ['Lunch', 'Released: berth 5'],
      Berths: ['Plan of berth 4'],
      Junk: ['Junk: berth 6'],
      Yard: ['A rule'],
    }
    expect(await filed()).toEqual(places)
    expect(await subjectsOnDisk(join(folder, 'mail', ingrid))).toEqual(places)
  })

  test('a folder within a folder is one there, too, whatever the store has between them', async () => {
    await addRule(rule('fish', 'Orders/Fish'))
    await work()
    expect(there('pendro-rules')).toContain('"Orders/Fish"')
    // A look tells how the store names folders: Maildir has a dot. The scripts are written anew.
    await lookNow({ db: server.db, stores: createStores(server.db, secrets), now }, ingridId())
    await work()
    expect(there('pendro-rules')).toContain('"Orders.Fish"')
    expect(await show(true)).toMatchObject({ state: 'kept', trouble: '' })
    await deliver('Two boxes of fish')
    await deliver('A rule', {
      'Pendro-Delivery': '9.x',
      'Pendro-Place': 'moved',
      'Pendro-Folder': 'Orders/Shell/Fish',
    })
    const places = { 'Orders.Fish': ['Two boxes of fish'], 'Orders.Shell.Fish': ['A rule'] }
    expect(await filed()).toMatchObject(places)
    expect(await subjectsOnDisk(join(folder, 'mail', ingrid))).toMatchObject(places)
  })

  test('the colleague’s own script stays to the letter, and is still run', async () => {
    const own =
      'require ["fileinto", "mailbox"];\r\nif header :contains "subject" "crane" { fileinto :create "Cranes"; }\r\n'
    writes('my rules', own)
    makesActive('my rules')
    await work()
    expect(await show()).toMatchObject({ state: 'kept', own: 'my rules', runs: 'pendro' })
    expect(there('my rules')).toBe(own)
    await deliver('Crane 2')
    await deliver('Crane at berth 4')
    expect(await filed()).toEqual({ Cranes: ['Crane 2'], Berths: ['Crane at berth 4'] })
  })

  test('a change here is there at the next look, and nothing is written where nothing has changed', async () => {
    await work()
    const before = await findRow(server.db, 'SELECT kept_at FROM store_scripts WHERE mailbox_id = :id', {
      id: ingridId(),
    })
    anHour()
    await work()
    expect(
      await findRow(server.db, 'SELECT kept_at FROM store_scripts WHERE mailbox_id = :id', {
        id: ingridId(),
      }),
    ).toEqual(before)
    await addRule(rule('lamp', 'Lamps'))
    expect(await show()).toMatchObject({ isDue: true })
    await work()
    expect(there('pendro-rules')).toContain('Lamps')
    expect(await show()).toMatchObject({ isDue: false, state: 'kept' })
    // The organisation's are asked after the mailbox's own.
    const change = { act: 'add', draft: rule('crane', 'Cranes') }
    await oda.post('/api/mail-rules/changes', { mailbox: null, change, token: crypto.randomUUID() })
    await work()
    const script = there('pendro-rules') ?? ''
    expect(script.indexOf('Lamps')).toBeLessThan(script.indexOf('Cranes'))
    expect(script.indexOf('Lamps')).toBeGreaterThan(0)
    await execute(server.db, 'DELETE FROM mail_rules WHERE mailbox_id IS NULL')
  })

  test('the automatic reply is in it, with its days away', async () => {
    const reply = {
      when: 'always',
      days: 5,
      inside: [],
      outside: [{ language: 'en', subject: 'Away', text: 'Back on Monday.' }],
    }
    const change = { what: 'reply', was: { when: 'off', days: 7, inside: [], outside: [] }, to: reply }
    const { status } = await oda.post(`/api/mailboxes/${ingridId()}/changes`, {
      change,
      reason: '',
      token: crypto.randomUUID(),
    })
    expect(status).toBe(200)
    await work()
    expect(there('pendro-rules')).toContain('vacation :days 5')
    expect(there('pendro-rules')).toContain('Back on Monday.')
    expect(await show()).toMatchObject({ answersTwice: false })
    // The colleague's own answers as well: somebody has to know.
    writes('mine', 'require "vacation";\nvacation "I am out.";\n')
    makesActive('mine')
    await oda.get(`/api/mailboxes/${ingridId()}/script?fresh=yes`)
    expect(await show()).toMatchObject({ state: 'not-run', runs: 'mine' })
    expect((await put((await show()).seen)).body).toMatchObject({ state: 'kept', own: 'mine' })
    expect(await show(true)).toMatchObject({ answersTwice: true })
  })
})

describe('what somebody else writes there', () => {
  const theirs = `${'keep;'}\n# mine now\n`

  test('is shown and never overwritten, whatever changes here', async () => {
    await work()
    writes('pendro-rules', theirs)
    await addRule(rule('lamp', 'Lamps'))
    await work()
    expect(there('pendro-rules')).toBe(theirs)
    const shown = await show()
    expect(shown).toMatchObject({ state: 'changed', runs: 'pendro' })
    expect(shown.scripts[0]).toMatchObject({ name: 'pendro-rules', there: theirs })
    expect(shown.scripts[0]?.here).toContain('Lamps')
    anHour()
    await work()
    expect(there('pendro-rules')).toBe(theirs)
  })

  test('is told as rules: what only the store has, what only Pendro has, and what cannot be said', async () => {
    await addRule(rule('lamp', 'Lamps'))
    await work()
    const ours = there('pendro-rules') ?? ''
    expect((await show()).differ).toBeNull()
    writes('pendro-rules', `${ours}# tugs\nif header :contains "subject" "tug" {\n  fileinto "Tugs";\n}\n`)
    expect((await show(true)).differ).toMatchObject({
      there: [{ name: 'tugs', action: { place: { kind: 'folder', folder: 'Tugs' } } }],
      here: [],
      isReordered: false,
      left: [],
    })
    // Somebody’s own in place of all of ours.
    writes('pendro-rules', 'redirect "elsewhere@quay-lamps.example";\n')
    expect((await show(true)).differ).toMatchObject({
      there: [],
      here: [{ name: 'berth to Berths' }, { name: 'lamp to Lamps' }],
      left: [{ line: 1, why: 'always', text: 'redirect' }],
    })
    writes('pendro-rules', 'if {{{ "')
    expect(await show(true)).toMatchObject({ state: 'changed', differ: null })
  })

  test('is replaced when a person says so, and what was replaced can be brought back', async () => {
    await work()
    const ours = there('pendro-rules')
    writes('pendro-rules', theirs)
    const shown = await show(true)
    expect((await put(shown.seen)).body).toMatchObject({ state: 'kept', canUndo: true })
    expect(there('pendro-rules')).toBe(ours)
    expect((await undo()).body).toMatchObject({ state: 'changed', canUndo: false })
    expect(there('pendro-rules')).toBe(theirs)
    expect((await undo()).body).toMatchObject({ code: 'ALREADY_UNDONE' })
    const { body } = await oda.get(`/api/record?mailbox=${ingridId()}`)
    expect(JSON.stringify(body)).toContain('scripts-put')
    expect(JSON.stringify(body)).toContain('scripts-undone')
  })

  test('after it was shown is not overwritten', async () => {
    await work()
    writes('pendro-rules', theirs)
    const { seen } = await show(true)
    writes('pendro-rules', `${theirs}# and again\n`)
    expect((await put(seen)).body).toMatchObject({ code: 'MAILBOX_CHANGED' })
    expect(there('pendro-rules')).toContain('and again')
    const again = await show()
    expect(again.seen).not.toBe(seen)
    expect(again.scripts[0]?.there).toContain('and again')
  })

  test('under our names, before anything was kept, is nobody’s to overwrite', async () => {
    writes('pendro', 'stop;\n')
    await work()
    expect(there('pendro')).toBe('stop;\n')
    expect(await show()).toMatchObject({ state: 'changed' })
  })

  test('may be another script that is run: it is not switched back', async () => {
    await work()
    writes('mine', 'keep;\n')
    makesActive('mine')
    anHour()
    await work()
    expect(await show()).toMatchObject({ state: 'not-run', runs: 'mine', own: 'mine' })
    expect(runs()).toBe('mine')
    const { seen } = await show()
    expect((await put(seen)).body).toMatchObject({ state: 'kept', own: 'mine' })
    expect([runs(), there('mine')]).toEqual(['pendro', 'keep;\n'])
    expect((await undo()).body).toMatchObject({ state: 'not-run' })
    expect(runs()).toBe('mine')
  })

  test('their own script that is gone is not asked for any more', async () => {
    writes('mine', 'keep;\n')
    makesActive('mine')
    await work()
    rmSync(scriptFile('mine'))
    await deliver('Lunch')
    expect(await filed()).toEqual({ INBOX: ['Lunch'] })
    anHour()
    await work()
    expect(await show()).toMatchObject({ state: 'kept', own: '' })
    expect(there('pendro')).not.toContain('mine')
  })
})

describe('taken out again', () => {
  test('only the colleague’s own is left, and is run', async () => {
    writes('mine', 'keep;\n')
    makesActive('mine')
    await work()
    await use({ scripts: 'take-out' })
    anHour()
    await work()
    expect([runs(), readdirSync(join(home(), 'sieve')).filter(name => name.endsWith('.sieve'))]).toEqual([
      'mine',
      ['mine.sieve'],
    ])
    expect(await show()).toMatchObject({ state: 'out', takenOut: true })
    // And put there again, when that is wanted.
    await use()
    anHour()
    await work()
    expect([runs(), there('pendro')?.includes('"mine"')]).toEqual(['pendro', true])
  })
  test('what somebody has changed stays', async () => {
    await work()
    writes('pendro-rules', 'keep;\n')
    await use({ scripts: 'take-out' })
    anHour()
    await work()
    expect([there('pendro-rules'), (await show()).state]).toEqual(['keep;\n', 'changed'])
  })
})

describe('when it does not work', () => {
  test('a process that was killed after the store took the scripts takes them for its own', async () => {
    await work()
    const { scripts } = await show()
    await addRule(rule('lamp', 'Lamps'))
    await work()
    // As the row is when the process ends before it has noted what the store took.
    const before = JSON.stringify({ rules: scripts[0]?.there, active: scripts[1]?.there, own: '' })
    await execute(
      server.db,
      'UPDATE store_scripts SET putting = kept, kept = :before WHERE mailbox_id = :id',
      {
        before,
        id: ingridId(),
      },
    )
    expect(await show(true)).toMatchObject({ state: 'kept', trouble: '' })
    expect(there('pendro-rules')).toContain('Lamps')
  })

  test('what a person’s act had begun to replace can still be brought back when it breaks off in the middle', async () => {
    await work()
    writes('pendro-rules', 'keep;\n# theirs\n')
    writes('pendro', 'keep;\n# theirs, too\n')
    const { seen } = await show(true)
    const cut = await cutsOff('PUTSCRIPT "pendro" ')
    await use({ sieve: at(cut.port) })
    expect((await put(seen)).body).toMatchObject({ code: 'STORE_TROUBLE' })
    await cut.close()
    await use()
    // Half of it is Pendro's now; the other half is still for a person to decide.
    expect([there('pendro-rules')?.includes('# theirs'), there('pendro')?.includes('# theirs')]).toEqual([
      false,
      true,
    ])
    const half = await show(true)
    expect(half).toMatchObject({ state: 'changed', canUndo: false })
    expect((await put(half.seen)).body).toMatchObject({ state: 'kept', canUndo: true })
    await undo()
    expect([there('pendro-rules'), there('pendro')]).toEqual(['keep;\n# theirs\n', 'keep;\n# theirs, too\n'])
  })

  test('after a script was refused, another one that a colleague has run since is not switched back', async () => {
    await work()
    const values = Array.from(
      { length: 90 },
      (_, i) => `${'a long word that goes on and on and on and on '.repeat(3)}${i}`,
    )
    await addRule(rule('x', 'Much', { conditions: [{ field: 'subject', test: 'contains', values }] }))
    await work()
    expect((await show()).trouble).toBe('full')
    writes('mine', 'keep;\n')
    makesActive('mine')
    await execute(server.db, "DELETE FROM mail_rules WHERE name = 'x to Much'")
    anHour()
    await work()
    expect([runs(), (await show()).state]).toEqual(['mine', 'not-run'])
  })

  test('a script that the server refuses leaves what was there, and says so', async () => {
    await work()
    const before = there('pendro-rules')
    const values = Array.from(
      { length: 90 },
      (_, i) => `${'a long word that goes on and on and on and on '.repeat(3)}${i}`,
    )
    await addRule(rule('x', 'Much', { conditions: [{ field: 'subject', test: 'contains', values }] }))
    await work()
    const shown = await show()
    expect(shown.trouble).toBe('full')
    expect(shown.detail).not.toBe('')
    expect(there('pendro-rules')).toBe(before)
    await deliver('Plan of berth 4')
    expect(await filed()).toEqual({ Berths: ['Plan of berth 4'] })
  })

  test('a rule that Sieve has no words for is named', async () => {
    await addRule(
      rule('y', 'Pictures', {
        name: 'Pictures',
        conditions: [{ field: 'kind', test: 'is', values: ['picture'] }],
      }),
    )
    await work()
    expect(await show()).toMatchObject({ state: 'kept', left: ['Pictures'] })
  })

  describe('with a server that is none', () => {
    let liar: Server | null = null
    afterEach(async () => {
      await new Promise(done => (liar ? liar.close(done) : done(null)))
      liar = null
    })
    const hello =
      '"IMPLEMENTATION" "liar"\r\n"SASL" "PLAIN"\r\n"SIEVE" "fileinto include mailbox variables imap4flags"\r\nOK\r\n'
    /** A server that answers each command by its first word; `null` hangs up. */
    async function lie(answers: Record<string, string | null>, greeting = hello): Promise<void> {
      liar = createServer(socket => {
        socket.on('error', () => {})
        socket.write(greeting)
        socket.on('data', part => {
          for (const line of part.toString().split('\r\n')) {
            const word = /^[A-Z]+/.exec(line)?.[0] ?? ''
            if (!(word in answers)) continue
            const answer = answers[word]
            if (answer === null) socket.destroy()
            else socket.write(answer ?? '')
          }
        })
      }).listen(0, '127.0.0.1')
      await new Promise(done => liar?.once('listening', done))
      await use({ sieve: at((liar.address() as { port: number }).port) })
    }
    const signIn = { AUTHENTICATE: 'OK\r\n', LOGOUT: 'OK\r\n' }

    test.each<[what: string, answers: Record<string, string | null>, trouble: string, greeting?: string]>([
      ['it speaks another protocol', {}, 'nonsense', 'HTTP/1.1 400 {Bad Request\r\n\r\n'],
      ['it lets nobody in', { AUTHENTICATE: 'NO "go away"\r\n' }, 'sign-in'],
      ['it hangs up', { ...signIn, LISTSCRIPTS: null }, 'no-answer'],
      ['it is going down', { ...signIn, LISTSCRIPTS: 'BYE (TRYLATER) "later"\r\n' }, 'refused'],
      [
        'a name without an end',
        { ...signIn, LISTSCRIPTS: `{600}\r\n${'x'.repeat(600)} ACTIVE\r\nOK\r\n` },
        'nonsense',
      ],
      ['a literal without an end', { ...signIn, LISTSCRIPTS: '{999999999}\r\nx' }, 'nonsense'],
      [
        'it refuses the script',
        { ...signIn, LISTSCRIPTS: 'OK\r\n', CHECKSCRIPT: 'NO "line 3: error"\r\n' },
        'refused',
      ],
      [
        'it is full',
        {
          ...signIn,
          LISTSCRIPTS: 'OK\r\n',
          CHECKSCRIPT: 'OK\r\n',
          PUTSCRIPT: 'NO (QUOTA/MAXSCRIPTS) "two at most"\r\n',
        },
        'full',
      ],
      [
        'it takes all and keeps nothing',
        { ...signIn, LISTSCRIPTS: 'OK\r\n', CHECKSCRIPT: 'OK\r\n', PUTSCRIPT: 'OK\r\n', SETACTIVE: 'OK\r\n' },
        'nonsense',
      ],
      ['it has no include', { ...signIn, LISTSCRIPTS: 'OK\r\n' }, 'refused', hello.replace('include ', '')],
    ])('%s', async (_, answers, trouble, greeting) => {
      await lie(answers, greeting)
      expect((await show(true)).trouble).toBe(trouble)
      expect((await show()).state).toBe('waiting')
    })
  })
})
