import type { JourneyStop, WhereHit } from '@pendro/contract'

/** Where a message is now: the last stop that is not still to come. */
export const hereOf = ({ journey }: Pick<WhereHit, 'journey'>): JourneyStop | null =>
  journey.find(({ stage }) => stage === 'here') ?? journey.findLast(({ stage }) => stage === 'done') ?? null

/** Hits that differ in nothing but their time, and a number in their subject. */
export interface HitGroup {
  /** The best of them. */
  readonly first: WhereHit
  /** All of them, in the order they were found; one that stands alone is its own. */
  readonly hits: readonly WhereHit[]
}

/** "sailing 19:00" and "sailing 08:10" are the same again, unless a number was asked for. */
const subjectKey = (subject: string, exact: boolean) => {
  const text = subject.trim().toLowerCase()
  return exact ? text : text.replace(/\d+(?:[.,:/-]\d+)*/g, '#')
}

const keyOf = (hit: WhereHit, exact: boolean) => {
  const here = hereOf(hit)
  return JSON.stringify([
    hit.kind,
    subjectKey(hit.subject, exact),
    hit.fromAddress,
    hit.to,
    hit.state,
    here?.kind,
    here?.facts.pattern,
  ])
}

/**
 * Hits in their order, those of the same sender, subject, colleague and end as one. The best one of all stands alone: it is
 * shown whole. What has no subject is never the same as another. `about`: the words that were asked for.
 */
export function groupHits(hits: readonly WhereHit[], about: string): readonly HitGroup[] {
  const exact = /\d/.test(about)
  const groups = new Map<string, WhereHit[]>()
  hits.forEach((hit, i) => {
    const key = i === 0 || hit.subject.trim() === '' ? `${hit.kind}${hit.id}` : keyOf(hit, exact)
    groups.set(key, [...(groups.get(key) ?? []), hit])
  })
  return [...groups.values()].flatMap(group => (group[0] ? [{ first: group[0], hits: group }] : []))
}

/** What a stop means to whoever waits for the message: it colours the stop. */
export type StopTone = 'arrived' | 'kept' | 'waiting' | 'gone' | 'passed'

const tones: Readonly<Record<string, StopTone>> = {
  inbox: 'arrived',
  aside: 'arrived',
  moved: 'arrived',
  landed: 'arrived',
  released: 'arrived',
  'sent-out': 'arrived',
  'relay-taken': 'arrived',
  'relay-waiting': 'waiting',
  'relay-returned': 'gone',
  junk: 'kept',
  quarantined: 'kept',
  sealed: 'gone',
  discarded: 'gone',
  'ruled-discard': 'gone',
  bounced: 'gone',
  refused: 'gone',
  expired: 'gone',
  deferred: 'waiting',
  inspecting: 'waiting',
  'ruled-release': 'waiting',
  'next-try': 'waiting',
}

export const toneOf = (kind: string): StopTone => tones[kind] ?? 'passed'
