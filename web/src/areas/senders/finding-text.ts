import type { TFunction } from 'i18next'
import type { FindingShape } from '@pendro/contract'

/** One finding in a sentence with its numbers. */
export function factsText({ kind, facts, entries, entryCount }: FindingShape, t: TFunction): string {
  const [first, second] = entries
  const by = second ?? first
  const values = {
    ...facts,
    pattern: first?.pattern ?? '',
    owner: first?.keptBy === '' ? t('senders.theOrganisation') : (first?.keptBy ?? ''),
    other: by?.pattern ?? '',
    otherOwner: by?.keptBy === '' ? t('senders.theOrganisation') : (by?.keptBy ?? ''),
    entries: entryCount,
  }
  switch (kind) {
    case 'contradicts':
      return t('senders.finding.contradicts', { ...values, winner: t(`standing.${facts.winner}`) })
    case 'lets-in-too-much':
      return [
        t(`senders.finding.too-wide.${facts.why}`, values),
        t('senders.finding.too-wide.let', { count: Number(facts.letIn) }),
        ...(Number(facts.harmful) > 0
          ? [t('senders.finding.too-wide.harmful', { count: Number(facts.harmful) })]
          : []),
      ].join(' ')
    case 'let-harm-in':
      return t('senders.finding.let-harm-in', { ...values, count: Number(facts.harmful) })
    case 'blocks-wanted':
      return t(
        Number(facts.written) > 0 ? 'senders.finding.blocks-written' : 'senders.finding.blocks-released',
        { ...values, count: Number(facts.written) || Number(facts.released) },
      )
    case 'for-everyone':
      return t('senders.finding.for-everyone', { ...values, count: Number(facts.colleagues) })
    case 'quiet':
      return t(facts.ever === 'yes' ? 'senders.finding.quiet' : 'senders.finding.quiet-never', {
        ...values,
        count: Number(facts.days),
      })
    case 'never-authenticated':
      return t('senders.finding.never-authenticated', { ...values, count: Number(facts.refused) })
    default:
      return t(`senders.finding.${kind}`, values)
  }
}
