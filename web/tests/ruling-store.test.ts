import { beforeEach, describe, expect, test } from 'vitest'
import type { DeliveryState, ReviewRow } from '@pendro/contract'
import {
  isIdle,
  mayApply,
  mayPress,
  messageChoices,
  startingSentence,
  useRuling,
  withSender,
} from '../src/areas/review/ruling-store.ts'

const start = useRuling.getInitialState()
beforeEach(() => useRuling.setState(start, true))

const store = () => useRuling.getState()
const row = (state: DeliveryState, points: ReviewRow['points'] = 'wanted') => ({ state, points })

describe('what the sentence begins with', () => {
  test.each<[DeliveryState, ReviewRow['points'], string, string]>([
    ['quarantined', 'wanted', 'release', 'wanted'],
    ['quarantined', 'doubt', 'leave', 'nothing'],
    ['quarantined', 'against', 'leave', 'nothing'],
    ['junk', 'wanted', 'release', 'wanted'],
    ['junk', 'against', 'leave', 'nothing'],
    ['bounced', 'wanted', 'release', 'wanted'],
    ['sealed', 'wanted', 'leave', 'nothing'],
    ['discarded', 'wanted', 'leave', 'nothing'],
    ['inbox', 'wanted', 'leave', 'nothing'],
    ['released', 'wanted', 'leave', 'nothing'],
  ])('%s mail that points to %s: %s, learning %s', (state, points, message, learn) => {
    const sentence = startingSentence(row(state, points))
    expect(sentence).toMatchObject({ message, learn, sender: 'as-is', reason: '' })
    expect(isIdle(sentence)).toBe(message === 'leave')
  })

  test.each<[DeliveryState, readonly string[]]>([
    ['quarantined', ['release', 'leave', 'discard']],
    ['junk', ['release', 'leave', 'discard']],
    ['bounced', ['release', 'leave']],
    ['sealed', ['discard', 'leave']],
    ['aside', ['leave', 'release']],
    ['moved', ['leave', 'release']],
    ['discarded', ['restore', 'leave']],
    ['inbox', ['leave']],
    ['released', ['leave']],
    ['deferred', ['leave']],
    ['expired', ['leave']],
  ])('%s mail offers %j', (state, choices) => expect(messageChoices(state)).toEqual(choices))
})

describe('Enter after an act', () => {
  /** An act was applied and the next message opened at 0. */
  const next = () => {
    store().begin(row('quarantined'), 0)
    store().applied(1)
    store().begin(row('quarantined'), 0)
  }

  test('before any act it applies at once', () => {
    store().begin(row('quarantined'), 0)
    expect(mayApply(store(), 0)).toBe(true)
  })

  test('pressed twice it does nothing, however late', () => {
    next()
    store().pressed('Enter')
    expect([mayApply(store(), 250), mayApply(store(), 60_000)]).toEqual([false, false])
  })

  test('a word of the sentence was changed: it applies', () => {
    next()
    store().change({ message: 'discard' })
    expect(mayApply(store(), 10)).toBe(true)
  })

  test('another key and a second on screen: it applies, and not before', () => {
    next()
    store().pressed('j')
    expect([mayApply(store(), 999), mayApply(store(), 1000)]).toEqual([false, true])
  })

  test('each further message is on screen for a second first', () => {
    next()
    store().pressed('j')
    store().begin(row('quarantined'), 5000)
    expect([mayApply(store(), 5500), mayApply(store(), 6000)]).toEqual([false, true])
  })

  test('what was touched on one message counts for nothing on the next', () => {
    next()
    store().change({ message: 'discard' })
    store().begin(row('quarantined'), 100)
    expect(mayApply(store(), 200)).toBe(false)
  })

  test('the second press of a double click does nothing; one that is meant does', () => {
    next()
    expect([mayPress(store(), 250), mayPress(store(), 1000)]).toEqual([false, true])
  })
})

describe('somebody else rules on the message that is open', () => {
  test('the sentence is empty and says who; Enter does nothing; a choice takes the notice away', () => {
    store().begin(row('quarantined'), 0)
    store().interrupt('Per', 100)
    expect(store()).toMatchObject({ interruptedBy: 'Per' })
    expect(isIdle(store().sentence)).toBe(true)
    expect(mayApply(store(), 200)).toBe(false)
    store().change({ message: 'discard' })
    expect(store().interruptedBy).toBe('')
    expect(mayApply(store(), 300)).toBe(true)
  })
})

describe('for whom', () => {
  const to = (...mailboxIds: number[]) => mailboxIds.map(mailboxId => ({ mailboxId }))
  const steward = { staffer: { id: 1, name: 'Oda', signIn: 'oda', role: 'steward' as const } }
  const helpdesk = { staffer: { id: 2, name: 'Per', signIn: 'per', role: 'helpdesk' as const } }
  test.each([
    ['one colleague', to(1), steward, 'colleague'],
    ['several messages to one', to(1, 1, 1), steward, 'colleague'],
    ['many colleagues, a steward', to(1, 2, 3), steward, 'everyone'],
    ['many colleagues, the help desk', to(1, 2, 3), helpdesk, 'request'],
  ])('%s', (_what, targets, session, whom) => {
    expect(withSender('blocked', targets, session)).toEqual({ sender: 'blocked', for: whom })
    expect(withSender('as-is', targets, session)).toEqual({ sender: 'as-is', for: 'colleague' })
  })
})

describe('marks', () => {
  const marked = (id: number) => ({ id }) as ReviewRow
  test('go when the list shows something else, and are told, so that they can be kept', () => {
    store().mark([marked(1), marked(2)], true)
    const dropped = store().dropMarks()
    expect(dropped.map(({ id }) => id)).toEqual([1, 2])
    expect(store().marks.size).toBe(0)
    store().mark(dropped, true)
    store().keepMarks(true)
    expect(store().dropMarks()).toEqual([])
    expect(store().marks.size).toBe(2)
  })
  test('are kept for one ruling only', () => {
    store().mark([marked(1)], true)
    store().keepMarks(true)
    store().applied(7)
    expect([store().marks.size, store().keepsMarks]).toEqual([0, false])
  })
})
