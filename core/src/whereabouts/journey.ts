import { isKeptBack, isSettled, isUndecided, type DeliveryState } from '../delivery/index.ts'

/** What fills a sentence. */
export type Facts = Readonly<Record<string, string | number>>

/** One stop on the way of a message. `at`: epoch ms; for what is to come, when it will; `null` where nobody knows. */
export interface Stop {
  readonly kind: string
  readonly at: number | null
  readonly facts: Facts
  /** Who did it; '' for Pendro or nobody in particular. */
  readonly by: string
  readonly stage: 'done' | 'here' | 'coming'
}

/** Something that happened to a delivery, as the record has it. */
export interface Happening {
  readonly at: number
  readonly act: string
  readonly by: string
  readonly facts: Facts
}

/** A copy of a delivery at its mail store, as Pendro has seen it there. */
export interface Copy {
  /** Path of the folder. */
  readonly folder: string
  /** What the folder is for; 'inbox' for the inbox. */
  readonly kind: string
  /** Somebody has opened it. */
  readonly seen: boolean
  readonly foundAt: number
  /** Who put it there: it arrived there, a mail program, Pendro, or somebody before Pendro looked. */
  readonly putBy: 'arrival' | 'colleague' | 'pendro' | 'unseen'
  readonly goneAt: number | null
}

/** What is known of a delivery's way. Times in epoch ms. */
export interface Way {
  readonly receivedAt: number
  readonly envelopeFrom: string
  readonly addressUsed: string
  readonly score: number
  readonly harm: string
  /** What decided where it goes: a stage of the path, and the entry's pattern where one did. */
  readonly decided: { readonly stage: string; readonly facts: Facts }
  /** The mail rule that says where it goes; empty where none does. */
  readonly placed: Facts
  /** A mail rule discarded it when it came in. */
  readonly discardedByRule: boolean
  readonly state: DeliveryState
  readonly boundFor: string | null
  readonly cameFrom: string | null
  readonly landedAt: number | null
  readonly expiresAt: number
  readonly happenings: readonly Happening[]
  readonly digest: { readonly at: number; readonly listed: boolean } | null
  /** The next digest of the mailbox, when it would be told there; `null` for never. */
  readonly nextDigest: number | null
  /** Whether that digest would name it, or only count it. */
  readonly wouldBeListed: boolean
  readonly waiting: { readonly attempts: number; readonly nextAt: number; readonly problem: string } | null
  /** In the order in which they were seen; none where the store can't be looked into. */
  readonly copies: readonly Copy[]
}

/** The way of a delivery from the door to where it is, and what is still to come. */
export function journeyOf(way: Way): readonly Stop[] {
  const stops: Stop[] = [
    done('came-in', way.receivedAt, { from: way.envelopeFrom, to: way.addressUsed }),
    done('checked', way.receivedAt, { score: Math.round(way.score), harm: way.harm }),
  ]
  const first = firstPlace(way)
  if (first !== null)
    stops.push(done(first, way.receivedAt, { ...way.decided.facts, stage: way.decided.stage }))
  if (way.digest) stops.push(done(way.digest.listed ? 'digest-listed' : 'digest-counted', way.digest.at, {}))
  const landed = way.happenings.findLast(({ act }) => act === 'landed')
  const brought = broughtIn(way, landed)
  for (const happening of way.happenings) {
    const { at, act, by, facts } = happening
    const read = happening === landed ? landedFacts(way, brought) : {}
    stops.push({ kind: act, at, facts: { ...facts, ...read }, by, stage: 'done' })
  }
  stops.sort((a, b) => (a.at ?? 0) - (b.at ?? 0))
  const place = placeNow(way)
  const arrived = place ? [{ ...place, facts: { ...place.facts, ...arrivalFacts(way) } }] : []
  // What is on its way again is somewhere else soon.
  const moved = way.state === 'deferred' ? [] : movesInStore(way.copies, brought)
  // Before it was released it may have been moved about, too.
  stops.push(...[...arrived, ...moved].sort((a, b) => (a.at ?? Infinity) - (b.at ?? Infinity)))
  const here = stops.at(-1)
  const passed = stops.slice(0, -1)
  return [...passed, ...(here ? [{ ...here, stage: 'here' as const }] : []), ...coming(way)]
}

/** Whether what lies where it arrived was opened. */
function arrivalFacts({ copies }: Way): Facts {
  const [copy, ...more] = copies
  return copy && more.length === 0 && copy.putBy === 'arrival' && copy.goneAt === null ? readFacts(copy) : {}
}

const readFacts = ({ seen }: Copy): Facts => ({ read: seen ? 'opened' : 'unread' })

const moveKinds = { colleague: 'moved-by-program', pendro: 'moved-by-desk', unseen: 'found-in' } as const

/** The copy that a release has brought into the inbox: that it landed says so already. */
const broughtIn = ({ copies }: Way, landed: Happening | undefined): Copy | undefined =>
  landed &&
  copies.findLast(
    ({ putBy, kind, foundAt }) => putBy === 'pendro' && kind === 'inbox' && foundAt <= landed.at,
  )

/** Whether what was released was opened, while it lies where the release has put it. */
function landedFacts(way: Way, brought: Copy | undefined): Facts {
  if (way.state !== 'released') return {}
  const isThere = brought !== undefined && brought.goneAt === null && way.copies.at(-1) === brought
  if (isThere) return readFacts(brought)
  // Handed over anew it arrives in the inbox; what is seen elsewhere is the copy of before.
  return way.copies[0]?.kind === 'inbox' ? arrivalFacts(way) : {}
}

/** What became of it at the store after it had arrived: moves, and that it is no longer there. `told`: a copy that another stop is about. */
function movesInStore(copies: readonly Copy[], told: Copy | undefined): readonly Stop[] {
  const moves = copies.flatMap(copy =>
    copy.putBy === 'arrival' || copy === told
      ? []
      : [
          done(moveKinds[copy.putBy], copy.foundAt, {
            folder: copy.folder,
            place: copy.kind,
            // Where it was on the way to somewhere else nobody asks.
            ...(copy.goneAt === null ? readFacts(copy) : {}),
          }),
        ],
  )
  const last = copies.at(-1)
  const isGone = copies.length > 0 && copies.every(({ goneAt }) => goneAt !== null)
  return isGone && last
    ? [...moves, done('gone-from-store', last.goneAt, { folder: last.folder, place: last.kind })]
    : moves
}

const done = (kind: string, at: number | null, facts: Facts, by = ''): Stop => ({
  kind,
  at,
  facts,
  by,
  stage: 'done',
})

/** Where it was put first, when that is not where it is going at the moment. */
function firstPlace({ state, boundFor, cameFrom, happenings, discardedByRule }: Way): string | null {
  if (discardedByRule) return 'discarded'
  if (cameFrom !== null) return cameFrom
  if (state === 'deferred' && boundFor === 'released') return 'quarantined'
  if (state === 'discarded' || state === 'released' || state === 'expired') return 'quarantined'
  if (isKeptBack(state)) return state
  return state === 'inspecting' || happenings.some(({ act }) => act === 'inspected') ? 'inspecting' : null
}

/** The stop it stands at, when no earlier one says so already. */
function placeNow({ state, placed, receivedAt, landedAt, waiting, happenings, expiresAt }: Way): Stop | null {
  const last = happenings.at(-1)?.act
  switch (state) {
    case 'deferred':
      return done('deferred', null, { attempts: waiting?.attempts ?? 0, problem: waiting?.problem ?? '' })
    case 'bounced':
      return last === 'bounced' ? null : done('bounced', null, {})
    case 'released':
      return last === 'landed' ? null : done('released', landedAt, {})
    case 'inbox':
    case 'aside':
    case 'moved':
      // What came before there was a queue went on at once.
      return done(state, landedAt ?? receivedAt, placed)
    case 'expired':
      return last === 'erased' ? null : done('expired', expiresAt, {})
    case 'inspecting':
    case 'junk':
    case 'quarantined':
    case 'sealed':
    case 'discarded':
      return null
  }
}

function coming({ state, digest, nextDigest, wouldBeListed, expiresAt, waiting }: Way): readonly Stop[] {
  if (isSettled(state)) return []
  const stop = (kind: string, at: number | null): Stop => ({ kind, at, facts: {}, by: '', stage: 'coming' })
  if (state === 'deferred') return waiting ? [stop('next-try', waiting.nextAt)] : []
  if (state === 'inspecting') return [stop('finding', null)]
  return [
    ...(digest === null && nextDigest !== null && isUndecided(state)
      ? [stop(wouldBeListed ? 'digest-would-list' : 'digest-would-count', nextDigest)]
      : []),
    // What could stop it is told by its state: sealed mail can't be released.
    ...(state === 'bounced' ? [] : [{ ...stop('goes-away', expiresAt), facts: { state } }]),
  ]
}
