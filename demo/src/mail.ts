import { strangerDraft } from './strangers.ts'
import { heldCauses, heldDraft, type HeldCause } from './held.ts'
import { junkDraft, pickKind, startCampaign } from './junk.ts'
import type { Draft } from './letter.ts'
import { listLetters } from './list-mail.ts'
import { domain, type Colleague } from './organisation.ts'
import type { Chance } from './random.ts'
import {
  bulletinDraft,
  bulletins,
  correspondents,
  outboundDraft,
  wantedDraft,
  type Correspondent,
} from './wanted.ts'

/** One message of the made-up past: when, which way, and what a person would call it. */
export interface Happening {
  readonly at: Date
  readonly direction: 'in' | 'out'
  readonly draft: Draft
  readonly truth: 'wanted' | 'junk' | 'phishing'
  /** Set for wanted mail that was made to look like junk. */
  readonly cause: string | null
  /** Junk that got through and was handed in. */
  readonly reported?: boolean
  /** Unique within the demo; becomes the Message-ID's left side. */
  readonly serial: string
}

const minute = 60_000
const day = 24 * 60 * minute

interface Maker {
  readonly chance: Chance
  readonly people: readonly Colleague[]
  readonly all: readonly Colleague[]
  readonly happenings: Happening[]
}

/**
 * `days` of mail that end at `now`, oldest first: office hours for what people write, any hour for junk.
 * The same seed and `now` make the same mail, byte for byte.
 */
export function makeMail(
  colleagues: readonly Colleague[],
  chance: Chance,
  { now, days, scale = 1 }: { now: Date; days: number; scale?: number },
): readonly Happening[] {
  const maker: Maker = {
    chance,
    people: colleagues.filter(({ kind }) => kind === 'person'),
    all: colleagues,
    happenings: [],
  }
  const today = Math.floor(now.getTime() / day) * day
  for (let back = days; back >= 0; back -= 1) addDay(maker, today - back * day, scale)
  addHeld(maker, today - (days - 1) * day, now.getTime())
  addListMail(maker, today - (days - 1) * day, now.getTime())
  return maker.happenings
    .filter(({ at }) => at <= now)
    .sort((a, b) => a.at.getTime() - b.at.getTime())
    .map((happening, i) => ({
      ...happening,
      serial: happening.serial === '' ? `m${i}.${chance.between(100_000, 999_999)}` : happening.serial,
    }))
}

/** Epoch ms of a moment in the working day (06:00 to 17:00 in Oslo, by winter time), more before noon. */
function officeTime(midnight: number, chance: Chance): number {
  const hour = 5 + Math.floor((chance.next() + chance.next() * 0.6) * 7)
  return midnight + hour * 60 * minute + chance.between(0, 59) * minute + chance.between(0, 59_999)
}

const anyTime = (midnight: number, chance: Chance) => midnight + Math.floor(chance.next() * day)

function addDay(maker: Maker, midnight: number, scale: number): void {
  const weekday = new Date(midnight).getUTCDay()
  const isWorkday = weekday !== 0 && weekday !== 6
  const letters = Math.round((isWorkday ? 185 : 42) * scale)
  for (let i = 0; i < letters; i += 1) addExchange(maker, midnight, isWorkday)
  if (isWorkday) addBulletins(maker, midnight)
  addJunk(maker, midnight, Math.round((isWorkday ? 62 : 50) * scale))
}

/** A letter of a correspondent; now and then it answers one that a colleague wrote the day before. */
function addExchange({ chance, people, all, happenings }: Maker, midnight: number, isWorkday: boolean): void {
  const at = isWorkday ? officeTime(midnight, chance) : anyTime(midnight, chance)
  // One letter in ten comes from somebody who has never written before.
  if (chance.happens(0.1)) {
    happenings.push({
      at: new Date(at),
      direction: 'in',
      draft: strangerDraft(all, chance),
      truth: 'wanted',
      cause: null,
      serial: '',
    })
    return
  }
  const who = chance.pick(correspondents)
  const to = recipientOf(who, people, all, chance)
  const draft = wantedDraft(who, to, chance)
  if (!chance.happens(0.2) || to.kind !== 'person') {
    happenings.push({ at: new Date(at), direction: 'in', draft, truth: 'wanted', cause: null, serial: '' })
    return
  }
  const serial = `q${happenings.length}.${chance.between(100_000, 999_999)}`
  const asked = outboundDraft(to, who, chance)
  happenings.push({
    at: new Date(at - chance.between(40, 1500) * minute),
    direction: 'out',
    draft: asked,
    truth: 'wanted',
    cause: null,
    serial,
  })
  const answer = {
    ...draft,
    subject: `${who.language === 'de' ? 'AW' : who.language === 'nb' ? 'SV' : 'Re'}: ${asked.subject}`,
    answers: `<${serial}@${domain}>`,
    from: asked.to[0] ?? draft.from,
  }
  happenings.push({
    at: new Date(at),
    direction: 'in',
    draft: answer,
    truth: 'wanted',
    cause: null,
    serial: '',
  })
}

function recipientOf(
  who: Correspondent,
  people: readonly Colleague[],
  all: readonly Colleague[],
  chance: Chance,
): Colleague {
  const department = chance.pick(who.departments)
  const shared = all.filter(c => c.kind === 'shared' && c.department === department)
  if (shared.length > 0 && chance.happens(0.35)) return chance.pick(shared)
  return chance.pick(people.filter(c => c.department === department))
}

function addBulletins({ chance, people, happenings }: Maker, midnight: number): void {
  for (const bulletin of bulletins) {
    if (!chance.happens(Math.min(1, bulletin.timesAWeek / 5))) continue
    const readers = people.filter(({ department }) =>
      (bulletin.departments as readonly string[]).includes(department),
    )
    const to = chance.some(readers, Math.min(readers.length, 12))
    happenings.push({
      at: new Date(officeTime(midnight, chance)),
      direction: 'in',
      draft: bulletinDraft(bulletin, to, chance),
      truth: 'wanted',
      cause: null,
      serial: '',
    })
  }
}

/** Campaigns reach many with the same words within an hour or two; the rest comes one by one. */
function addJunk({ chance, people, all, happenings }: Maker, midnight: number, count: number): void {
  let left = count
  while (left > 0) {
    const kind = pickKind(chance)
    const language = chance.pick(['en', 'en', 'nb', 'de', 'pl'])
    const campaign = startCampaign(kind, language, chance, people)
    const size = kind.campaign ? Math.min(left, chance.pick([1, 1, 2, 3, 4, 6, 9, 17, 31])) : 1
    const start = anyTime(midnight, chance)
    for (const to of chance.some(all, size)) {
      const at = new Date(start + chance.between(0, 90) * minute)
      happenings.push({
        at,
        direction: 'in',
        draft: junkDraft(campaign, [to], chance),
        truth: kind.verdict,
        cause: null,
        serial: '',
      })
    }
    left -= size
  }
}

/** The wanted letters that look like junk, spread evenly so that each part of the month has some. */
function addHeld({ chance, people, all, happenings }: Maker, from: number, to: number): void {
  for (const cause of heldCauses) {
    for (let i = 0; i < cause.times; i += 1) {
      const midnight =
        Math.floor((from + ((i + chance.next()) / cause.times) * (to - from - day)) / day) * day
      const workday = [0, 6].includes(new Date(midnight).getUTCDay()) ? midnight - 2 * day : midnight
      happenings.push({
        at: new Date(officeTime(workday, chance)),
        direction: 'in',
        draft: heldDraft(cause, heldRecipients(cause, people, all, chance), chance, i),
        truth: 'wanted',
        cause: cause.cause,
        serial: '',
      })
    }
  }
}

/** What the sender lists are about, spread over the whole time. */
function addListMail({ chance, people, all, happenings }: Maker, from: number, to: number): void {
  for (const letter of listLetters(people)) {
    for (let i = 0; i < letter.times; i += 1) {
      const midnight =
        Math.floor((from + ((i + chance.next()) / letter.times) * (to - from - day)) / day) * day
      const workday = [0, 6].includes(new Date(midnight).getUTCDay()) ? midnight - 2 * day : midnight
      const named = all.find(({ name }) => name === letter.to)
      const possible = people.filter(
        c => letter.department === undefined || c.department === letter.department,
      )
      happenings.push({
        at: new Date(officeTime(workday, chance)),
        direction: letter.direction,
        draft: letter.write(named ?? chance.pick(possible), chance, i),
        truth: letter.truth,
        cause: letter.cause,
        reported: letter.reported ?? false,
        serial: '',
      })
    }
  }
}

function heldRecipients(
  { mailbox, departments, recipients = 1 }: HeldCause,
  people: readonly Colleague[],
  all: readonly Colleague[],
  chance: Chance,
): readonly Colleague[] {
  const team = all.find(({ address }) => address === mailbox)
  if (team) return [team]
  const department = chance.pick(departments)
  const members = people.filter(c => c.department === department)
  // Ingrid Solvang and the others the docs speak of come first in their departments.
  return recipients > 1 ? members.slice(0, recipients) : [chance.pick(members)]
}

/** What comes in while the demo runs: one letter after the other, most of them ordinary. */
export function nextLive(colleagues: readonly Colleague[], chance: Chance): Draft {
  const people = colleagues.filter(({ kind }) => kind === 'person')
  if (chance.happens(0.5)) {
    const who = chance.pick(correspondents)
    return wantedDraft(who, recipientOf(who, people, colleagues, chance), chance)
  }
  if (chance.happens(0.15)) {
    const cause = chance.pick(heldCauses)
    return heldDraft(cause, heldRecipients(cause, people, colleagues, chance), chance, chance.between(0, 9))
  }
  return junkDraft(
    startCampaign(pickKind(chance), chance.pick(['en', 'nb', 'de', 'pl']), chance, people),
    [chance.pick(colleagues)],
    chance,
  )
}

/** What a colleague sends to somebody outside. */
export function nextOutgoing(colleagues: readonly Colleague[], chance: Chance): Draft {
  const who = chance.pick(correspondents)
  const people = colleagues.filter(
    ({ kind, department }) =>
      kind === 'person' && (who.departments as readonly string[]).includes(department),
  )
  return outboundDraft(chance.pick(people), who, chance)
}
