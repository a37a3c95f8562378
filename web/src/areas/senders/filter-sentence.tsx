import { useTranslation } from 'react-i18next'
import { useNumbers } from '../../app/times.ts'
import { FindChip } from '../../parts/find-chip.tsx'
import { MailboxSlot } from '../../parts/mailbox-slot.tsx'
import { SentenceSlot } from '../../parts/sentence-slot.tsx'
import { Sentence } from '../../parts/sentence.tsx'
import { findings, kinds, matches, orders, owners, standings, states, type Filter } from './filter.ts'
import type { useSenderCounts } from './use-senders.ts'

interface Props {
  readonly filter: Filter
  readonly change: (part: Partial<Filter>) => void
  readonly counts: ReturnType<typeof useSenderCounts>['data']
}

export function FilterSentence({ filter, change, counts }: Props) {
  const { t } = useTranslation()
  const { number } = useNumbers()
  const slot = <V extends string>(
    name: string,
    value: V,
    choices: readonly V[],
    onPick: (value: V) => void,
  ) => (
    <SentenceSlot
      label={t(`senders.filter.${name}Label`)}
      text={t(`senders.filter.${name}.${value}`)}
      value={value}
      options={choices.map(choice => ({ value: choice, text: t(`senders.filter.${name}.${choice}`) }))}
      onPick={onPick}
    />
  )
  return (
    <div className="text-[1.14rem] leading-[2.05rem]">
      <Sentence
        text={t('senders.filter.sentence')}
        slots={{
          state: slot('state', filter.state, states, state => change({ state })),
          standing: slot('standing', filter.standing, standings, standing => change({ standing })),
          kind: slot('kind', filter.kind, kinds, kind => change({ kind })),
          owner: (
            <MailboxSlot
              mailbox={filter.mailbox}
              onPick={mailbox => change({ mailbox })}
              label={t('senders.filter.ownerLabel')}
              others={owners.map(owner => ({
                value: owner,
                text: t(`senders.filter.owner.${owner}`),
                chosen: filter.owner === owner,
                onPick: () => change({ owner, mailbox: undefined }),
              }))}
            />
          ),
          finding: slot('finding', filter.finding, findings, finding => change({ finding })),
          matched: slot('matched', filter.matched, matches, matched => change({ matched })),
          order: slot('order', filter.order, orders, order => change({ order })),
        }}
      />{' '}
      {counts ? (
        <Sentence
          text={
            t('senders.filter.total', { count: counts.total, shown: number(counts.total) }) +
            (counts.needDecision > 0
              ? t('senders.filter.need', { count: counts.needDecision, shown: number(counts.needDecision) })
              : t('senders.filter.stop'))
          }
        />
      ) : (
        <span className="skeleton inline-block h-4 w-40 align-middle" />
      )}
      {filter.find && <FindChip find={filter.find} onClear={() => change({ find: undefined })} />}
    </div>
  )
}
