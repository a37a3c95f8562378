import type { TFunction } from 'i18next'
import type { RulingAnswer } from '@pendro/contract'

/**
 * What a ruling made of its senders, in words: the first two entries; and where another entry
 * has the last word, whose it is.
 */
export function madeText(
  { added, overruled }: Pick<RulingAnswer, 'added' | 'overruled'>,
  t: TFunction,
): readonly string[] {
  return added.slice(0, 2).map(({ id, pattern, standing, keptBy }) => {
    const over = overruled.find(({ made }) => made === id)
    if (!over) return t(`ruling.now.${standing}`, { pattern })
    const name = keptBy || t('mailboxSlot.all')
    const by = over.by.pattern
    return over.by.mailboxId === null
      ? t(`ruling.overruled.${standing}`, { pattern, name, by })
      : t(`ruling.overruledByOwn.${standing}`, { pattern, name, by, owner: over.by.keptBy })
  })
}
