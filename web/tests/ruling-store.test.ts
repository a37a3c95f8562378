import { expect, test } from 'vitest'
import type { DeliveryState } from '@pendro/contract'
import { messageChoices, startingSentence } from '../src/areas/review/ruling-store.ts'

test.each<[DeliveryState, string, string]>([
  ['quarantined', 'release', 'wanted'],
  ['junk', 'release', 'wanted'],
  ['bounced', 'release', 'wanted'],
  ['sealed', 'discard', 'nothing'],
  ['discarded', 'restore', 'nothing'],
  ['inbox', 'leave', 'nothing'],
  ['aside', 'leave', 'nothing'],
  ['moved', 'leave', 'nothing'],
  ['released', 'leave', 'nothing'],
  ['deferred', 'leave', 'nothing'],
  ['inspecting', 'leave', 'nothing'],
  ['expired', 'leave', 'nothing'],
])('the sentence about %s mail begins with %s, learning %s', (state, message, learn) => {
  expect(startingSentence(state)).toMatchObject({ message, learn, sender: 'as-is', reason: '' })
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
