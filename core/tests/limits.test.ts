import { describe, expect, test } from 'vitest'
import type { Limits } from '@pendro/core/judgement'
import { areLimits, readyAt, readyLimits } from '@pendro/core/limits'

describe('limits', () => {
  test.each<[Limits, boolean]>([
    [{ junk: 40, quarantined: 40, nearCertain: 80 }, true],
    [{ junk: 1, quarantined: 1, nearCertain: 1 }, true],
    [{ junk: 100, quarantined: 100, nearCertain: 100 }, true],
    [{ junk: 0, quarantined: 40, nearCertain: 80 }, false],
    [{ junk: 41, quarantined: 40, nearCertain: 80 }, false],
    [{ junk: 40, quarantined: 81, nearCertain: 80 }, false],
    [{ junk: 40, quarantined: 40, nearCertain: 101 }, false],
    [{ junk: Number.NaN, quarantined: 40, nearCertain: 80 }, false],
  ])('%j: %s', (limits, wanted) => expect(areLimits(limits)).toBe(wanted))

  test('each ready position is one, is found again, and a step beside it is none', () => {
    for (const [name, limits] of Object.entries(readyLimits)) {
      expect(areLimits(limits)).toBe(true)
      expect(readyAt(limits)).toBe(name)
      expect(readyAt({ ...limits, junk: limits.junk + 1 })).toBeNull()
      expect(readyAt({ ...limits, quarantined: limits.quarantined - 1 })).toBeNull()
      expect(readyAt({ ...limits, nearCertain: limits.nearCertain + 1 })).toBeNull()
    }
  })
})
