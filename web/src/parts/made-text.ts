import type { TFunction } from 'i18next'
import type { RulingAnswer } from '@pendro/contract'

/**
 * What a ruling made of its senders, in words: the first two entries; and where the organisation's list has the last word,
 * that nothing changes.
 */
export function madeText(
  { added, overruled }: Pick<RulingAnswer, 'added' | 'overruled'>,
  t: TFunction,
): readonly string[] {
  return added.slice(0, 2).map(({ id, pattern, standing, keptBy }) => {
    const over = overruled.find(({ made }) => made === id)
    return over
      ? t(`ruling.overruled.${standing}`, { pattern, name: keptBy, by: over.by.pattern })
      : t(`ruling.now.${standing}`, { pattern })
  })
}
