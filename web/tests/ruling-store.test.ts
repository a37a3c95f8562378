import { beforeEach, describe, expect, test } from 'vitest'
import type { DeliveryState, ReviewRow, SelectionSummary, Session } from '@pendro/contract'
import {
  choicesForAll,
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
  const steward = {
    staffer: { id: 1, name: 'Oda', signIn: 'oda', role: 'steward' as const, departments: null },
  }
  const helpdesk = {
    staffer: { id: 2, name: 'Per', signIn: 'per', role: 'helpdesk' as const, departments: null },
  }
  const part = { staffer: { ...steward.staffer, departments: ['Finance'] } }
  test.each([
    ['one colleague', to(1), steward, 'colleague'],
    ['several messages to one', to(1, 1, 1), steward, 'colleague'],
    ['many colleagues, a steward', to(1, 2, 3), steward, 'everyone'],
    ['many colleagues, a steward of some departments', to(1, 2, 3), part, 'request'],
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

describe('everything that was shown', () => {
  const selection = (part: Partial<SelectionSummary> = {}): SelectionSummary => ({
    id: 3,
    madeAt: '2026-11-28T08:00:00Z',
    deliveries: 10,
    colleagues: 4,
    senders: 7,
    can: { release: 8, discard: 9, restore: 0 },
    against: 2,
    ...part,
  })
  test('the sentence begins anew, and does nothing', () => {
    store().begin(row('quarantined'), 0)
    store().selectAll(selection())
    expect(isIdle(store().sentence)).toBe(true)
    expect(store().marks.size).toBe(0)
  })
  test('reading through it changes nothing of what is to be done with all of it', () => {
    store().selectAll(selection())
    store().change({ message: 'discard' })
    store().begin(row('quarantined', 'wanted'), 5)
    expect(store().sentence).toMatchObject({ message: 'discard', learn: 'junk' })
  })
  test('it is let go of by a mark, by another list, and by the act', () => {
    const marked = { id: 1, mailboxId: 1 } as ReviewRow
    for (const letGo of [
      () => store().mark([marked], true),
      () => store().dropMarks(),
      () => store().applied(4),
    ]) {
      store().selectAll(selection())
      letGo()
      expect(store().selection).toBeNull()
    }
  })
  test('what was done with all of it is not said of the message that is open', () => {
    store().selectAll(selection())
    store().change({ message: 'discard' })
    store().applied(4)
    expect(isIdle(store().sentence)).toBe(true)
  })
  test('offered is what can be done to some of it', () => {
    expect(choicesForAll(selection())).toEqual(['leave', 'release', 'discard'])
    expect(choicesForAll(selection({ can: { release: 0, discard: 0, restore: 3 } }))).toEqual([
      'leave',
      'restore',
    ])
  })
  test('a list for its many colleagues is one for everybody', () => {
    const helpdesk = { staffer: { role: 'helpdesk' } } as Session
    expect(withSender('blocked', selection(), helpdesk)).toEqual({ sender: 'blocked', for: 'request' })
    expect(withSender('blocked', selection({ colleagues: 1 }), helpdesk).for).toBe('colleague')
  })
})
