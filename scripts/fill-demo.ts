// Fills an empty database with the made-up organisation: its people, 30 days of mail judged by the same code
// as SMTP intake, and what staffers did meanwhile. Run by `npm start`; the seed and the clock decide everything.
import { randomUUID } from 'node:crypto'
import { parsePattern, type SenderPattern } from '@pendro/core/senders'
import { dayOf, daysBefore, startOfDay } from '@pendro/core/calendar'
import { tokensOf } from '@pendro/core/judgement'
import { parseMessage } from '@pendro/core/message'
import { writeLetter, type Letter } from '@pendro/demo/letter'
import { makeMail, type Happening } from '@pendro/demo/mail'
import { domain, makeColleagues, secondDomain, trustedHost, type Colleague } from '@pendro/demo/organisation'
import { mailRules } from '@pendro/demo/mail-rules'
import { chanceOf, type Chance } from '@pendro/demo/random'
import { makeZone, resolveFrom } from '@pendro/demo/zone'
import { makeRegister, requests, type PastEntry } from '@pendro/demo/register'
import { execute, findRow, inTransaction, select, type Database } from '../server/src/db/database.ts'
import { Lessons } from '../server/src/db/models/learning.ts'
import { EntryRequests } from '../server/src/db/models/lists.ts'
import { AwayPeriods, MailboxLooks, Mailboxes } from '../server/src/db/models/organisation.ts'
import { AutomaticReplies } from '../server/src/db/models/replies.ts'
import { MailRules } from '../server/src/db/models/mail-rules.ts'
import { insert, insertRows, update } from '../server/src/db/rows.ts'
import { migrate } from '../server/src/db/migrate.ts'
import type { Organisation } from '../server/src/db/organisation.ts'
import { createLog } from '../server/src/log.ts'
import { takeIn, type TakenIn } from '../server/src/intake/intake.ts'
import { takeOutgoing } from '../server/src/intake/outbound.ts'
import { recalibrate } from '../server/src/judging/fit-text.ts'
import { lettersOf } from '../server/src/own/letters.ts'
import { countWords } from '../server/src/rulings/learning.ts'
import { applyRuling } from '../server/src/rulings/rulings.ts'
import { insertEntries } from '../server/src/lists/entries.ts'
import { setUp, type MailboxPlan } from '../server/src/set-up.ts'
import type { SignedIn } from '../server/src/sign-in/sessions.ts'
import { workOutbox } from '../server/src/outbox/outbox.ts'
import { fillDigests } from './fill-digests.ts'
import { fillEnquiries } from './fill-enquiries.ts'
import { demoStaffers } from './sign-ins.mjs'
import { words } from './wording.mjs'
import { checkWith } from '../server/src/reading/authenticate.ts'

const day = 86_400_000

export const demoSeed = 20_261

export const demoOrganisation: Organisation = {
  name: 'Vindholm Ferries',
  timeZone: 'Europe/Oslo',
  policy: {
    ownDomains: [domain, secondDomain],
    trustedHosts: [trustedHost],
    // The sending world stands in for the gateway, on this machine.
    gateways: ['127.0.0.0/8'],
    forbidden: ['executable', 'script', 'disguised', 'program-in-archive', 'bomb'],
    linkShorteners: ['kort.example'],
    fileHosts: ['dropshelf.example', 'filequay.example'],
    sharedProviders: ['freepost.example', 'quickpost.example'],
  },
  limits: { junk: 40, quarantined: 40, nearCertain: 80 },
  keep: { quarantined: 28, junk: 28, discarded: 28 },
  headerDays: 93,
  digestAddress: `digest@${domain}`,
  reportAddress: `report@${domain}`,
  helpAddress: `help@${domain}`,
  // It has been at work for months.
  steps: { skipped: [], closed: true },
}

/** Mail of colleagues comes from this machine and goes to the stand-in for the world. */
const sendingOut = (port: number): Organisation => ({
  ...demoOrganisation,
  outgoing: { mode: 'relay', servers: ['127.0.0.0/8'], journal: '' },
  routes: {
    smartHosts: [{ host: '127.0.0.1', port, protocol: 'smtp', tls: 'off', certificate: '', user: '' }],
    stores: [],
  },
})

interface Options {
  readonly now: Date
  readonly seed?: number
  readonly days?: number
  /** Share of the ordinary traffic; tests use less. */
  readonly scale?: number
  readonly say?: (text: string) => void
  /** Where the world outside listens; without it nothing goes out. */
  readonly worldPort?: number
}

export interface Filled {
  readonly messages: number
  readonly deliveries: number
  /** How the wanted letters that look like junk were judged. */
  readonly held: { readonly made: number; readonly keptBack: number }
  /** The sender lists as they were made, with what is wrong with them by plan. */
  readonly register: readonly PastEntry[]
}

export async function fillDemo(
  db: Database,
  { now, seed = demoSeed, days = 30, scale = 1, say = () => {}, worldPort }: Options,
): Promise<Filled> {
  const chance = chanceOf(seed)
  const colleagues = makeColleagues(chance)
  await execute(
    db,
    'CREATE TABLE demo_truth (message_id BIGINT UNSIGNED NOT NULL PRIMARY KEY, truth VARCHAR(10) NOT NULL, cause VARCHAR(200) NULL)',
  )
  await setUp(db, {
    organisation: worldPort === undefined ? demoOrganisation : sendingOut(worldPort),
    mailboxes: colleagues.map(c => mailboxPlan(c, chance)),
    staffers: demoStaffers,
  })
  const mailboxIds = new Map(
    (await select<{ id: number; address: string }>(db, 'SELECT id, address FROM mailboxes')).map(row => [
      row.address,
      row.id,
    ]),
  )
  const register = makeRegister(colleagues, chance)
  await addRegister(db, register, mailboxIds, now)
  await addRequests(db, colleagues, mailboxIds, now)
  await addMailRules(db, mailboxIds, now)
  await addAway(db, colleagues, mailboxIds, now)
  say('The months before: what people ruled on …')
  await learnPast(db, colleagues, chanceOf(seed + 1), new Date(now.getTime() - days * day))
  await recalibrate(db, new Date(now.getTime() - days * day))
  const happenings = makeMail(colleagues, chance, { now, days, scale })
  const resolve = resolveFrom(makeZone())
  const staffers = await signedInStaffers(db)
  const desk = createDesk(db, staffers, chance, now, register)
  let deliveries = 0
  let keptBack = 0
  for (const batch of batches(happenings)) {
    const letters = await Promise.all(
      batch.map(h => writeLetter(h.draft, h.at, h.serial, isDirect(h) ? 'direct' : 'checked')),
    )
    const outward = letters.filter((_, i) => batch[i]?.direction === 'out')
    if (outward.length > 0) await takeOutgoing(db, outward.map(toIncoming))
    const inward = batch.flatMap((happening, i) =>
      happening.direction === 'in' ? [{ happening, letter: letters[i] as Letter }] : [],
    )
    if (inward.length === 0) continue
    const taken = await takeIn(
      db,
      inward.map(({ letter }) => toIncoming(letter)),
      { onward: 'history', authenticate: checkWith(resolve) },
    )
    await noteTruth(
      db,
      taken.map(({ messageId }, i) => ({ messageId, happening: inward[i]?.happening as Happening })),
    )
    for (const [i, one] of taken.entries()) {
      const happening = inward[i]?.happening as Happening
      deliveries += one.deliveries.length
      if (happening.cause !== null && one.deliveries.some(isKeptBack)) keptBack += 1
      desk.see(happening, one)
    }
    const last = batch.at(-1)?.at ?? now
    await desk.work(last)
    await recalibrate(db, last)
    say(`${last.toISOString().slice(0, 10)} …`)
  }
  await recalibrate(db, now)
  await fillDigests(db, chanceOf(seed + 2), now)
  await fillEnquiries(db, chanceOf(seed + 3), now)
  await addLooks(db, chanceOf(seed + 4), now)
  await settlePast(db, now)
  return {
    messages: happenings.length,
    deliveries,
    held: { made: happenings.filter(({ cause }) => cause !== null).length, keptBack },
    register,
  }
}

/** What a person would call each message; the application never reads it, the benchmarks do. */
async function noteTruth(
  db: Database,
  all: readonly { messageId: number; happening: Happening }[],
): Promise<void> {
  await insertRows(
    db,
    { table: 'demo_truth' },
    all.map(({ messageId, happening: { truth, cause } }) => ({ message_id: messageId, truth, cause })),
  )
}

const toIncoming = ({ raw, envelopeFrom, recipients, at }: Letter) => ({
  raw,
  envelopeFrom,
  recipients,
  receivedAt: at,
  connection: { ip: '127.0.0.1', helo: trustedHost },
})

/** One letter in twelve came past the edge host's own checks: Pendro has to check it. */
const isDirect = ({ at, direction }: Happening) => direction === 'in' && at.getTime() % 12 === 0

const isKeptBack = ({ state }: { state: string }) => state === 'quarantined' || state === 'junk'

/** Outbound and inbound of one batch are a few hours at most, so that what is known grows as it would have. */
function* batches(happenings: readonly Happening[]): Generator<readonly Happening[]> {
  for (let start = 0; start < happenings.length; start += 120) yield happenings.slice(start, start + 120)
}

function mailboxPlan(c: Colleague, chance: Chance): MailboxPlan {
  const usesJunkFolder = chance.happens(0.3)
  return {
    address: c.address,
    aliases: c.aliases,
    name: c.name,
    kind: c.kind,
    department: c.department,
    timeZone: c.timeZone,
    language: c.language,
    minders: c.minders,
    ...(usesJunkFolder ? { limits: { junk: 40, quarantined: 60, nearCertain: 85 } } : {}),
    usesSetAside: chance.happens(0.35),
    filtering: c.name !== 'All Masters',
  }
}

async function addRegister(
  db: Database,
  register: readonly PastEntry[],
  mailboxIds: ReadonlyMap<string, number>,
  now: Date,
): Promise<void> {
  await inTransaction(db, async tx => {
    for (const entry of register) {
      const pattern = parsePattern(entry.pattern)
      if (!pattern.ok) throw new Error(`demo entry ${entry.pattern}`)
      const mailboxId = entry.owner === null ? null : (mailboxIds.get(entry.owner) ?? null)
      const [made] = await insertEntries(
        db,
        tx,
        [
          {
            pattern: pattern.value satisfies SenderPattern,
            standing: entry.standing,
            owner: mailboxId === null ? { kind: 'organisation' } : { kind: 'mailbox', mailboxId },
            binding: entry.binding ?? false,
            withoutAuthentication: entry.withoutAuthentication ?? false,
            until: entry.untilDays === undefined ? null : now.getTime() + entry.untilDays * day,
          },
        ],
        { at: new Date(now.getTime() - entry.daysAgo * day), reason: entry.reason, origin: entry.origin },
      )
      if (entry.matchedDaysAgo !== undefined)
        await execute(
          db,
          'UPDATE sender_entries SET last_matched_at = :at WHERE id = :id',
          { id: made?.id, at: new Date(now.getTime() - entry.matchedDaysAgo * day) },
          tx,
        )
    }
  })
}

function numberOf(mailboxIds: ReadonlyMap<string, number>, address: string): number {
  const id = mailboxIds.get(address)
  if (id === undefined) throw new Error(`The demo has no mailbox ${address}`)
  return id
}

/** A few are away: some since last week, one soon, one with a colleague who gets the digests. */
async function addAway(
  db: Database,
  colleagues: readonly Colleague[],
  mailboxIds: ReadonlyMap<string, number>,
  now: Date,
): Promise<void> {
  const { timeZone } = demoOrganisation
  const people = colleagues.filter(({ kind }) => kind === 'person')
  const at = (days: number) =>
    new Date(startOfDay(daysBefore(dayOf(now.getTime(), timeZone), -days), timeZone))
  const idOf = (n: number) => mailboxIds.get(people[n]?.address ?? '') ?? 0
  const times = [
    { who: 90, from: -9, back: 12, note: 'Parental leave, asked by phone' },
    { who: 104, from: -3, back: 4, note: '' },
    { who: 117, from: -1, back: 20, note: 'Crew change', to: 118 },
    { who: 131, from: 6, back: 27, note: '' },
    { who: 146, from: -20, back: -6, note: '' },
  ]
  await insert(
    db,
    AwayPeriods,
    times.map(({ who, from, back, note, to }) => ({
      mailbox_id: idOf(who),
      from_at: at(from),
      until_at: at(back),
      note,
      digests_to_id: to === undefined ? null : idOf(to),
    })),
  )
  // Two of them answer meanwhile; one has a text that is off.
  const answers = [
    {
      who: 90,
      mode: 'away',
      days: 7,
      text: 'I am on leave until the middle of December. For ticket questions please write to the ticket office.',
    },
    { who: 104, mode: 'away', days: 3, text: 'Away this week. In urgent cases ring the bridge.' },
    { who: 146, mode: 'off', days: 7, text: 'I am at sea and read mail once a week.' },
  ] as const
  await insert(
    db,
    AutomaticReplies,
    answers.map(({ who, mode, days, text }) => ({
      mailbox_id: idOf(who),
      mode,
      setting: {
        days,
        inside: [{ language: 'en', subject: '', text }],
        outside: [{ language: 'en', subject: 'Away', text }],
      },
    })),
  )
}

/** Most people look at what was kept back every few days, some have not for weeks, and a few never. */
async function addLooks(db: Database, chance: Chance, now: Date): Promise<void> {
  const mailboxes = await select<{ id: number }>(db, 'SELECT id FROM mailboxes ORDER BY id')
  const ago = (days: number) => new Date(now.getTime() - days * day)
  // Replies to digests have noted some already.
  await execute(db, 'DELETE FROM mailbox_looks')
  await insert(
    db,
    MailboxLooks,
    mailboxes.flatMap(({ id }) => {
      const [seldom, never] = [chance.happens(0.07), chance.happens(0.06)]
      const days = seldom ? 15 + chance.next() * 12 : chance.next() * 9
      const junk = chance.happens(0.8) ? days : days + 6
      return never ? [] : [{ mailbox_id: id, kept_at: ago(days), junk_at: ago(junk) }]
    }),
  )
}

async function addMailRules(db: Database, mailboxIds: ReadonlyMap<string, number>, now: Date): Promise<void> {
  await insert(
    db,
    MailRules,
    mailRules.map(({ mailbox, name, needs, conditions, action, daysAgo }, place) => ({
      mailbox_id: mailbox === '' ? null : numberOf(mailboxIds, mailbox),
      place: place + 1,
      name,
      needs,
      conditions,
      action,
      made_at: new Date(now.getTime() - daysAgo * day),
    })),
  )
  // The mail program of one fetches the inbox alone, which is why he misses what is filed there.
  await update(db, Mailboxes, { unfetched: ['Weather'] }, { address: 'aksel.brandt@vindholm.example' })
}

/** Requests to make an entry one for everybody, open and answered. */
async function addRequests(
  db: Database,
  colleagues: readonly Colleague[],
  mailboxIds: ReadonlyMap<string, number>,
  now: Date,
): Promise<void> {
  await insert(
    db,
    EntryRequests,
    requests.map(({ pattern, standing, colleague, reason, hoursAgo, declined }) => {
      const asked = now.getTime() - hoursAgo * 3_600_000
      return {
        pattern,
        standing,
        mailbox_id: numberOf(
          mailboxIds,
          colleagues.find(({ name }) => name === colleague)?.address ?? colleague,
        ),
        reason,
        asked_by: demoStaffers[1]?.name ?? '',
        asked_at: new Date(asked),
        state: declined === undefined ? 'open' : 'declined',
        answer: declined ?? '',
        answered_by: declined === undefined ? '' : (demoStaffers[0]?.name ?? ''),
        answered_at: declined === undefined ? null : new Date(asked + 5 * 3_600_000),
      }
    }),
  )
}

/** Words of mail that was ruled on before the month that is shown; the mail itself has gone away. */
async function learnPast(
  db: Database,
  colleagues: readonly Colleague[],
  chance: Chance,
  before: Date,
): Promise<void> {
  const past = makeMail(colleagues, chance, { now: before, days: 40, scale: 0.25 }).filter(
    ({ direction }) => direction === 'in',
  )
  const wanted = chance.some(
    past.filter(({ truth, cause }) => truth === 'wanted' && cause === null),
    24,
  )
  const junk = chance.some(
    past.filter(({ truth }) => truth !== 'wanted'),
    60,
  )
  const lessons = await Promise.all(
    [...wanted, ...junk].map(async ({ draft, at, serial, truth }) => {
      const parsed = await parseMessage((await writeLetter(draft, at, serial)).raw)
      return { verdict: truth, words: parsed.ok ? tokensOf(parsed.value) : [], senders: [] }
    }),
  )
  await inTransaction(db, async tx => {
    await insert(
      db,
      Lessons,
      lessons.map(lesson => ({ ruling_id: null, message_id: null, ...lesson })),
      tx,
    )
    await countWords(db, tx, lessons, 1)
  })
}

async function signedInStaffers(db: Database): Promise<readonly SignedIn[]> {
  const rows = await select<{
    id: number
    name: string
    sign_in: string
    role: 'helpdesk' | 'steward' | 'observer'
  }>(db, 'SELECT id, name, sign_in, role FROM staffers WHERE departments IS NULL ORDER BY id')
  return rows.map(({ id, name, sign_in, role }) => ({
    staffer: { id, name, signIn: sign_in, role, departments: null },
    scope: null,
    csrf: '',
    timeZone: demoOrganisation.timeZone,
  }))
}

const reasons = [
  'Asked for by phone',
  'Asked for at the counter',
  'Her regular supplier',
  'Answer to our question',
  'Expected since Monday',
  'Found in Review',
]

const log = createLog('silent')
const taken = async () => ({ status: 'taken' }) as const

/** What the help desk did in those weeks: old mail is mostly ruled on, the last days are still open. */
function createDesk(
  db: Database,
  staffers: readonly SignedIn[],
  chance: Chance,
  now: Date,
  register: readonly PastEntry[],
) {
  // The desk makes an entry only where no list has one near it: what is wrong with the lists is planted.
  const known = new Set([...register.map(({ pattern }) => rootOf(pattern)), 'gjestebrygga.example'])
  let waiting: { happening: Happening; ids: readonly number[]; at: Date; cleaned?: boolean }[] = []
  const cleaning = chanceOf(17)
  return {
    see(happening: Happening, { deliveries }: TakenIn): void {
      if (happening.reported === true)
        waiting.push({ happening, ids: deliveries.map(({ id }) => id), at: deskTime(happening.at, chance) })
      const ids = deliveries.filter(isKeptBack).map(({ id }) => id)
      if (ids.length === 0 || happening.reported === true) return
      const age = (now.getTime() - happening.at.getTime()) / day
      // The taken-over account beside an honest one is for somebody to find.
      const isPlanted = happening.draft.from.address.endsWith('@gjestebrygga.example')
      const share = happening.truth === 'wanted' ? (age > 12 ? 0.85 : age > 4 ? 0.35 : 0.06) : 0.04
      if (chance.happens(share)) waiting.push({ happening, ids, at: deskTime(happening.at, chance) })
      // With dice of its own: what else happens at the desk stays what it was.
      else if (happening.truth !== 'wanted' && !isPlanted && cleaning.happens(0.13))
        waiting.push({ happening, ids, at: deskTime(happening.at, cleaning), cleaned: true })
    },
    /** Everything that is due by then, in the order in which it happened. */
    async work(until: Date): Promise<void> {
      const due = waiting.filter(({ at }) => at <= until).sort((a, b) => a.at.getTime() - b.at.getTime())
      waiting = waiting.filter(({ at }) => at > until)
      for (const { happening, ids, at, cleaned = false } of due) {
        const dice = cleaned ? cleaning : chance
        const who = staffers[dice.happens(0.6) ? 0 : 1]
        if (!who) continue
        const root = rootOf(happening.draft.from.address)
        // A safe entry for somebody who proves nothing would do nothing; the desk has been told so.
        const proven = ['pass', 'aligned', 'service'].includes(happening.draft.proof)
        const sentence = deskSentence(happening, who, dice, {
          mayMakeSafe: proven && !known.has(root),
          teaches: !cleaned,
        })
        if (sentence.sender === 'safe') known.add(root)
        await applyRuling(db, { who, deliveryIds: ids, token: randomUUID(), now: at, sentence })
      }
      const last = due.at(-1)
      if (last)
        while (
          (await workOutbox({
            db,
            log,
            now: () => last.at,
            send: taken,
            letter: lettersOf({ db, publicUrl: '', now: () => last.at }),
          })) > 0
        );
    },
  }
}

/** Some time after it came in, while somebody is at the desk: working days, 07:00 to 16:00 UTC. */
function deskTime(arrived: Date, chance: Chance): Date {
  const at = new Date(arrived.getTime() + chance.between(20, 240) * 60_000)
  while (at.getUTCHours() < 7 || at.getUTCHours() >= 16 || at.getUTCDay() === 0 || at.getUTCDay() === 6) {
    at.setTime(at.getTime() + chance.between(40, 70) * 60_000)
  }
  return at
}

/** The last two labels: entries that could meet share them. */
const rootOf = (pattern: string) =>
  pattern.replace(/[<>]/g, '').split('@').at(-1)?.split('.').slice(-2).join('.') ?? ''

function deskSentence(
  { truth, reported }: Happening,
  { staffer }: SignedIn,
  chance: Chance,
  { mayMakeSafe, teaches }: { readonly mayMakeSafe: boolean; readonly teaches: boolean },
) {
  const base = {
    width: 'address',
    for: 'colleague',
    withoutAuthentication: false,
    reason: chance.pick(reasons),
  } as const
  if (reported === true)
    return {
      ...base,
      message: 'leave',
      learn: 'phishing',
      sender: 'as-is',
      reason: 'Handed in by her',
    } as const
  if (truth !== 'wanted')
    return {
      ...base,
      message: 'discard',
      learn: teaches ? truth : 'nothing',
      sender: 'as-is',
      reason: '',
    } as const
  const makesSafe = mayMakeSafe && chance.happens(0.4)
  const everyone = makesSafe && staffer.role === 'steward' && chance.happens(0.3)
  return {
    ...base,
    message: 'release',
    // On the phone most people let go and teach nothing.
    learn: chance.happens(0.08) ? 'wanted' : 'nothing',
    sender: makesSafe ? 'safe' : 'as-is',
    for: everyone ? 'everyone' : 'colleague',
  } as const
}

/** What has outlived its days is gone, and nobody is told live of what happened weeks ago. */
async function settlePast(db: Database, now: Date): Promise<void> {
  await execute(
    db,
    "UPDATE deliveries SET state = 'expired' WHERE state IN ('quarantined', 'junk', 'sealed', 'discarded') AND expires_at < :now",
    { now },
  )
  await execute(db, 'DELETE FROM live_events')
  for (const table of ['deliveries', 'messages', 'message_senders', 'delivery_judgements'])
    await select(db, `ANALYZE TABLE ${table}`)
}

/** Fills the database when it holds no organisation yet. `null` when there was nothing to do. */
export async function fillDemoOnce(db: Database, options: Options): Promise<Filled | null> {
  await migrate(db)
  // The mark is written last: a fill that was interrupted is found out, and starts afresh from an empty database.
  if (
    await findRow(
      db,
      "SELECT 1 AS yes FROM information_schema.tables WHERE table_schema = DATABASE() AND table_name = 'demo_filled'",
    )
  )
    return null
  if (await findRow(db, 'SELECT 1 AS yes FROM organisation LIMIT 1')) throw new Error(words.interruptedFill)
  const filled = await fillDemo(db, options)
  await execute(db, 'CREATE TABLE demo_filled (id INT NOT NULL PRIMARY KEY)')
  return filled
}
