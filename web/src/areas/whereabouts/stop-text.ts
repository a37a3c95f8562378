import type { TFunction } from 'i18next'
import type { JourneyStop } from '@pendro/contract'
import { problemWords } from '../../parts/hand-over.ts'

/**
 * What a stop says beneath its name and time, line by line; not again what the heading has said. The mail
 * rule that put it there is left to whoever shows it.
 */
export function stopDetails(
  { kind, facts, by }: JourneyStop,
  fromAddress: string,
  t: TFunction,
): readonly string[] {
  const d = (name: string, more: object = facts) => t(`whereabouts.detail.${name}`, { ...more })
  const person = by === '' ? [] : [d('by', { name: by })]
  const said = serverText({ kind, facts }, d, t)
  if (said !== null) return said
  switch (kind) {
    case 'came-in':
      return [
        ...(facts.from === fromAddress ? [] : [facts.from === '' ? d('nobodyFrom') : d('from')]),
        ...(facts.to ? [d('used')] : []),
      ]
    case 'asked-to-deliver':
      return [d('fromHost')]
    case 'checked':
      return [facts.harm === '' ? d('score') : d('harm')]
    case 'moved':
    case 'inbox':
    case 'aside':
    case 'released':
      return [
        ...person,
        ...(facts.folder ? [d('folder')] : []),
        ...(facts.unfetched ? [d('unfetched')] : []),
        ...readText(facts, d),
      ]
    case 'moved-by-program':
    case 'moved-by-desk':
    case 'found-in':
    case 'gone-from-store':
      return [d(inStore[kind][facts.place === 'inbox' ? 0 : 1]), ...readText(facts, d)]
    case 'quarantined':
    case 'junk':
    case 'sealed':
      return decidedText(facts, d)
    case 'digest-would-list':
      return [d('wouldList')]
    case 'digest-would-count':
      return [d('wouldCount')]
    case 'goes-away':
      if (facts.state === 'sealed') return []
      return [d(facts.state === 'discarded' ? 'unlessRestored' : 'unless')]
    case 'sender-told':
      return [d('own')]
    case 'landed':
      return [...person, ...readText(facts, d)]
    case 'finding':
      return [d('soon')]
    case 'expired':
      return [d('kept')]
    default:
      return person
  }
}

/** What another server said, where the stop is about that; else `null`. */
function serverText(
  { kind, facts }: Pick<JourneyStop, 'kind' | 'facts'>,
  d: (name: string, more?: object) => string,
  t: TFunction,
): readonly string[] | null {
  switch (kind) {
    case 'refused':
      return [d('code'), ...statusText(facts, t)]
    case 'bounced':
    case 'store-report':
      return [problemWords(String(facts.problem ?? ''), t), ...statusText(facts, t)].filter(
        text => text !== '',
      )
    case 'deferred':
      return [
        d('tries', { count: Number(facts.attempts ?? 0) }),
        ...(facts.problem ? [problemWords(String(facts.problem), t)] : []),
        ...statusText(facts, t),
      ]
    case 'relay-taken':
    case 'relay-waiting':
    case 'relay-returned':
      return [d('used'), ...(facts.problem ? [problemWords(String(facts.problem), t)] : [])]
    default:
      return null
  }
}

/** At the mail store: of the inbox, and of another folder. */
const inStore = {
  'moved-by-program': ['toInbox', 'folder'],
  'moved-by-desk': ['toInbox', 'folder'],
  'found-in': ['inInbox', 'inFolder'],
  'gone-from-store': ['goneFromInbox', 'goneFrom'],
} as const

/** Whether somebody has opened it, where that is known. */
const readText = ({ read }: JourneyStop['facts'], d: (name: string) => string): readonly string[] =>
  read === undefined ? [] : [d(String(read))]

function decidedText(facts: JourneyStop['facts'], d: (name: string) => string): readonly string[] {
  if (facts.pattern) return [d('pattern')]
  return facts.stage === 'score' && facts.limit !== undefined ? [d('limit')] : []
}

/** An enhanced status code in plain words (RFC 3463). */
function statusText({ meaning }: JourneyStop['facts'], t: TFunction): readonly string[] {
  return meaning === undefined ? [] : [t(`whereabouts.status.${meaning}`)]
}
