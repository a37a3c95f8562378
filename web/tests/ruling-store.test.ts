import { expect, test } from 'vitest'
import type { DeliveryState } from '@pendro/contract'
import { startingSentence } from '../src/areas/review/ruling-store.ts'

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
