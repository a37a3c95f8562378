import { fork } from 'node:child_process'
import { once } from 'node:events'
import { ImapFlow } from 'imapflow'
import { createTransport } from 'nodemailer'
import { plainStore, type MailStoreShape } from '@pendro/contract'
import { startRealStore, type RealStore } from '@pendro/stand-ins/real-store'
import { demoOrganisation } from '../scripts/fill-demo.ts'
import { demoStaffers } from '../scripts/sign-ins.mjs'
import { execute, findRow, openDatabase, select, type Database } from '../server/src/db/database.ts'
import { migrate } from '../server/src/db/migrate.ts'
import { organisationNow } from '../server/src/db/organisation.ts'
import { takeIn } from '../server/src/intake/intake.ts'
import { createLog } from '../server/src/log.ts'
import { createOutbox } from '../server/src/outbox/outbox.ts'
import { createSecrets, type Secrets } from '../server/src/outbox/secrets.ts'
import type { Send } from '../server/src/outbox/smtp-out.ts'
import { createWays } from '../server/src/outbox/ways.ts'
import { setUp } from '../server/src/set-up.ts'
import { createInStore } from '../server/src/stores/deliver.ts'
import { beginMove, workMoves } from '../server/src/stores/move.ts'
import { createStores, type Stores } from '../server/src/stores/stores.ts'
import { enrol, workLooks } from '../server/src/stores/watch.ts'
import { pause } from './served.ts'
import { atMost, inTurns, median, ms, type Measured, type Section } from './measure.ts'

const mailboxes = 5000
const master = { user: 'pendro', password: 'a master password' }
const address = (n: number) => `c${n}@vindholm.example`
const now = () => new Date()

interface Bench {
  readonly db: Database
  readonly store: RealStore
  readonly stores: Stores
}

/** What a real mail store costs: handing over, looking into thousands of mailboxes, moving; each against a bare client at the same Dovecot. */
export async function benchStores(
  urlOf: (name: string) => string,
  sql: (text: string) => void,
): Promise<Section> {
  sql('DROP DATABASE IF EXISTS pendro_stores; CREATE DATABASE pendro_stores')
  const db = openDatabase(urlOf('pendro_stores'))
  const store = await startRealStore({ accounts: {}, master })
  try {
    await prepare(db, store)
    const secrets = createSecrets(
      { passwordOf: async () => master.password },
      { passwords: '', authorities: '' },
    )
    const bench = { db, store, stores: createStores(db, secrets) }
    console.log('Handing over …')
    const handed = await handingOver(bench, secrets)
    console.log('Handing back …')
    const back = await handingBack(bench, secrets)
    console.log('Moving …')
    const moved = await moving(bench)
    console.log('Looking …')
    const looked = await looking(bench)
    return {
      title: 'Mail stores',
      rows: [handed, ...back, moved, looked],
      notes:
        'The store is Debian’s Dovecot on the same machine, and takes part of its cores. Looking: every mailbox has a session of its own, with sign-in, and one LIST with STATUS. Its processes serve many sessions each, as its handbook has it for many mailboxes; with a process for each session the look takes three times as long. Handing over is the median of ten rounds, both over 8 connections, each round against its own bare one, which comes first in every other: the store takes more than half of what both cost. What waited goes to a store that takes everything at once.',
    }
  } finally {
    await store.close()
    await db.close()
  }
}

async function prepare(db: Database, { ports }: RealStore): Promise<void> {
  await migrate(db)
  const at = (port: number) => ({ host: '127.0.0.1', port, tls: 'off' as const, certificate: '' })
  const setting: MailStoreShape = {
    ...plainStore,
    name: 'pier',
    hosts: [{ ...at(ports.lmtp), protocol: 'lmtp', user: '' }],
    identity: { kind: 'proxy', user: master.user, tokenUrl: '', scope: '' },
    imap: at(ports.imap),
  }
  await setUp(db, {
    organisation: { ...demoOrganisation, watching: true, routes: { smartHosts: [], stores: [setting] } },
    mailboxes: [1].map(n => ({
      address: address(n),
      aliases: [],
      name: 'One',
      kind: 'person' as const,
      department: 'Deck',
      timeZone: 'Europe/Oslo',
      language: 'en' as const,
    })),
    staffers: demoStaffers,
  })
  await execute(
    db,
    `INSERT INTO mailboxes (address, name, kind, department, time_zone, language)
     SELECT CONCAT('c', seq, '@vindholm.example'), CONCAT('Colleague ', seq), 'person', 'Deck', 'Europe/Oslo', 'en' FROM seq_2_to_${mailboxes}`,
  )
  await execute(
    db,
    `INSERT IGNORE INTO mailbox_addresses (address, mailbox_id) SELECT address, id FROM mailboxes`,
  )
}

const text = (n: number) =>
  [
    `From: Yard <yard@quay-lamps.example>`,
    `To: ${address(1 + (n % 200))}`,
    `Subject: Lamps ${n}`,
    'Date: Fri, 20 Nov 2026 08:59:00 +0000',
    `Message-ID: <lamps-${n}@quay-lamps.example>`,
    '',
    `The lamps of berth ${n} are ready. ${'They can be fetched from the yard. '.repeat(60)}`,
  ].join('\r\n')

/** Messages of a round, to 200 mailboxes. */
const aRound = 1000
let serial = 0

async function handingOver({ db, store, stores }: Bench, secrets: Secrets): Promise<Measured> {
  const send = createWays({
    organisation: () => organisationNow(db),
    store: { host: '127.0.0.1', port: 9 },
    secrets,
    now,
  })
  const outbox = createOutbox({
    db,
    send,
    log: createLog('silent'),
    now,
    letter: async () => null,
    inStore: createInStore(db, stores, now),
  })
  const waiting = async () =>
    (await findRow<{ n: number }>(db, 'SELECT COUNT(*) AS n FROM outbox WHERE done_at IS NULL'))?.n ?? 0
  const bare = createTransport({
    host: '127.0.0.1',
    port: store.ports.lmtp,
    lmtp: true,
    ignoreTLS: true,
    pool: true,
    maxConnections: 8,
    maxMessages: Infinity,
  })
  const ours: number[] = []
  const theirs: number[] = []
  for (let round = -2; round < 10; round += 1) {
    const made = Array.from({ length: aRound }, () => {
      serial += 1
      return { n: serial, raw: Buffer.from(text(serial)) }
    })
    await takeIn(
      db,
      made.map(({ n, raw }) => ({
        raw,
        envelopeFrom: 'yard@quay-lamps.example',
        recipients: [address(1 + (n % 200))],
        receivedAt: now(),
        connection: { ip: '127.0.0.1', helo: 'mx.vindholm.example' },
      })),
    )
    // What taking them in leaves to be written behind it is nobody's work here.
    await pause(500)
    const byUs = async () => {
      // Asking without a pause would take time from what is measured.
      while ((await outbox.work()) > 0 || (await waiting()) > 0) await pause(10)
    }
    const byClient = () =>
      Promise.all(
        made.map(({ n, raw }) =>
          bare.sendMail({
            envelope: { from: 'yard@quay-lamps.example', to: [address(1 + (n % 200))] },
            raw,
          }),
        ),
      )
    // In turn: whoever comes second finds the mailboxes open, and is a tenth quicker by it.
    const turns = [
      { times: ours, work: byUs },
      { times: theirs, work: byClient },
    ]
    for (const { times, work } of round % 2 === 0 ? turns : turns.reverse()) {
      const began = performance.now()
      await work()
      if (round >= 0) times.push(performance.now() - began)
    }
  }
  bare.close()
  send.close()
  const [mine, bareOnes] = [median(ours), median(theirs)]
  // Each round against its own: how fast the disk is changes from one to the next.
  const ratio = median(ours.map((time, i) => (theirs[i] ?? 0) / time))
  const perSecond = (time: number) => `${((aRound / time) * 1000).toFixed(0)} a second`
  return {
    what: `handing ${aRound} messages over by LMTP, noted and settled`,
    ours: perSecond(mine),
    against: `${perSecond(bareOnes)} (a bare LMTP client with 8 connections)`,
    ratio,
    wanted: 'at least 0.7',
    met: ratio >= 0.7,
  }
}

/** What waits after a long outage: so many messages, each for so many mailboxes. */
const [waitingMessages, waitingMailboxes] = [1000, 100]

/** What waits after an outage goes to a store that takes everything at once and tells in which order it came. */
async function handingBack({ db }: Bench, secrets: Secrets): Promise<Measured[]> {
  const sink = fork(new URL('order-sink.ts', import.meta.url), { execArgv: ['--import', 'tsx'] })
  const [{ port }] = (await once(sink, 'message')) as [{ port: number }]
  await fillWaiting(db)
  const send = createWays({
    organisation: async () => null,
    store: { host: '127.0.0.1', port },
    secrets,
    now,
  })
  // Not to the store that the settings name.
  const toSink: Send = ({ organisation: _, ...envelope }, raw, way) => send(envelope, raw, way)
  const outbox = createOutbox({ db, send: toSink, log: createLog('silent'), now, letter: async () => null })
  const heaps: number[] = []
  const began = performance.now()
  const all = waitingMessages * waitingMailboxes
  for (let done = 0; done < all;) {
    const begun = await outbox.work()
    if (begun === 0) await outbox.stop()
    done += begun
    heaps.push(await heapNow())
  }
  await outbox.stop()
  const took = performance.now() - began
  send.close()
  sink.send('how many')
  const [{ taken, disordered }] = (await once(sink, 'message')) as [{ taken: number; disordered: number }]
  sink.kill()
  const [tenth = 0, most] = [
    heaps[Math.floor(heaps.length / 10)],
    Math.max(...heaps.slice(-heaps.length / 2)),
  ]
  const megabytes = (bytes: number) => `${(bytes / 1e6).toFixed(0)} MB`
  return [
    {
      what: `${all} that waited handed back in ${(took / 1000).toFixed(0)} s: came once, each mailbox’s in their order`,
      ours: `${taken - disordered}`,
      against: `${all} (all)`,
      ratio: (taken - disordered) / all,
      wanted: 'exactly 1',
      met: taken === all && disordered === 0,
    },
    {
      what: 'its heap in the second half, at its largest',
      ours: megabytes(most),
      against: `${megabytes(tenth)} (after a tenth)`,
      ratio: most / tenth,
      wanted: 'at most 1.2',
      met: most <= tenth * 1.2,
    },
  ]
}

/** Of live objects alone. */
async function heapNow(): Promise<number> {
  ;(globalThis as { gc?: () => void }).gc?.()
  return process.memoryUsage().heapUsed
}

/** As after an outage: everything was taken in, and nothing could be handed over. */
async function fillWaiting(db: Database): Promise<void> {
  const made = Array.from({ length: waitingMessages }, () => (serial += 1))
  for (let from = 0; from < made.length; from += 200)
    await takeIn(
      db,
      made.slice(from, from + 200).map(n => ({
        raw: Buffer.from(text(n)),
        envelopeFrom: 'yard@quay-lamps.example',
        recipients: [address(1000)],
        receivedAt: now(),
        connection: { ip: '127.0.0.1', helo: 'mx.vindholm.example' },
      })),
    )
  const columns = (
    await select<{ name: string }>(
      db,
      `SELECT column_name AS name FROM information_schema.columns WHERE table_schema = DATABASE() AND table_name = 'deliveries'
       AND extra NOT LIKE '%GENERATED%' AND column_name NOT IN ('id', 'mailbox_id')`,
    )
  ).map(({ name }) => name)
  await execute(db, 'DELETE FROM outbox')
  await execute(
    db,
    `INSERT INTO deliveries (mailbox_id, ${columns.join(', ')})
     SELECT b.id, ${columns.map(name => `d.${name}`).join(', ')} FROM deliveries d JOIN mailboxes b ON b.id > d.mailbox_id AND b.id <= d.mailbox_id + :mailboxes
     WHERE d.mailbox_id = (SELECT id FROM mailboxes WHERE address = :address) AND d.state = 'deferred' ORDER BY d.id, b.id`,
    { mailboxes: waitingMailboxes, address: address(1000) },
  )
  await execute(
    db,
    `INSERT INTO outbox (kind, subject_id, place, next_at) SELECT 'delivery', id, bound_for, received_at FROM deliveries
     WHERE state = 'deferred' AND mailbox_id > (SELECT id FROM mailboxes WHERE address = :address) ORDER BY id`,
    { address: address(1000) },
  )
}

const messages = 1000

async function moving({ db, store, stores }: Bench): Promise<Measured> {
  const client = new ImapFlow({
    host: '127.0.0.1',
    port: store.ports.imap,
    secure: false,
    doSTARTTLS: false,
    auth: { user: master.user, pass: master.password, authzid: address(2) },
    logger: false,
  })
  await client.connect()
  for (const folder of ['Yard', 'Quay']) await client.mailboxCreate(folder)
  for (let i = 0; i < messages; i += 1) await client.append('Yard', text(i))
  const id =
    (await findRow<{ id: number }>(db, 'SELECT id FROM mailboxes WHERE address = :a', { a: address(2) }))
      ?.id ?? 0
  let from = 'Yard'
  const other = () => (from === 'Yard' ? 'Quay' : 'Yard')
  const ours = async () => {
    await beginMove(db, stores, {
      by: { kind: 'staffer', id: 1, name: 'Bench' },
      mailboxId: id,
      from,
      to: other(),
      deliveries: null,
      reason: '',
      token: crypto.randomUUID(),
      now: now(),
    })
    while ((await workMoves(db, stores, now)) > 0);
    from = other()
  }
  const bare = async () => {
    await client.mailboxOpen(from)
    for (const uid of (await client.search({ all: true }, { uid: true })) || [])
      await client.messageMove([uid], other(), { uid: true })
    await client.mailboxClose()
    from = other()
  }
  const [mine = 0, loop = 0] = await inTurns(3, ours, bare)
  await client.logout()
  return atMost(
    `moving ${messages} messages, kept so that it can be taken back`,
    mine,
    loop,
    2,
    'a loop of UID MOVE',
  )
}

async function looking({ db, stores }: Bench): Promise<Measured> {
  await enrol(db, now())
  const log = createLog('silent')
  const once = async () => {
    await execute(db, 'UPDATE store_mailboxes SET next_at = :now, claimed_until = NULL', { now: now() })
    const began = performance.now()
    // Each once: on a machine that takes longer than from one turn to the next, some would be due again for ever.
    for (let looked = 0; looked < mailboxes;) looked += await workLooks({ db, stores, log, now })
    return performance.now() - began
  }
  // The first makes the folders.
  await once()
  const time = await once()
  const fresh = await findRow<{ n: number }>(
    db,
    'SELECT COUNT(*) AS n FROM store_mailboxes WHERE looked_at > :since',
    { since: new Date(Date.now() - time - 1000) },
  )
  return {
    what: `folders of ${fresh?.n ?? 0} mailboxes looked at, by 20 connections at most`,
    ours: ms(time),
    against: '60000 ms (limit)',
    ratio: time / 60_000,
    wanted: 'at most 1',
    met: time <= 60_000 && fresh?.n === mailboxes,
  }
}
