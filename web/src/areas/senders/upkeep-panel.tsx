import { useQuery } from '@tanstack/react-query'
import { clsx } from 'clsx'
import { useTranslation } from 'react-i18next'
import { useNavigate } from 'react-router'
import { listFoldable, tidyKind, type UpkeepShape } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { useNumbers, useTimes } from '../../app/times.ts'
import { CardList } from '../../parts/card-list.tsx'
import { Failed } from '../../parts/states.tsx'
import { factsText } from './finding-text.ts'
import type { Panel } from './filter.ts'
import { useUpkeep } from './use-senders.ts'

const grave = ['contradicts', 'lets-in-too-much', 'let-harm-in', 'blocks-wanted']
const mild = ['covered', 'duplicate', 'quiet', 'expired']

/** What would make the lists more accurate, most harmful first. */
export function UpkeepPanel({ onOpen, takesFocus }: { onOpen: (panel: Panel) => void; takesFocus: boolean }) {
  const { t } = useTranslation()
  const upkeep = useUpkeep()
  const { data } = upkeep
  const navigate = useNavigate()
  const foldable = useQuery({
    queryKey: queryKeyOf('mail-rule', 'foldable'),
    queryFn: ({ signal }) => call(listFoldable, { signal }),
  })
  return (
    <section aria-label={t('senders.upkeep.title')} className="h-full overflow-y-auto px-5 py-4" tabIndex={0}>
      <h2 className="font-serif text-[1.3rem] font-semibold">{t('senders.upkeep.title')}</h2>
      <p className="text-[0.92rem] text-ink-2">
        {data ? <LookedAt upkeep={data} /> : t('senders.upkeep.text')}
      </p>
      {upkeep.error && !data && <Failed error={upkeep.error} onAgain={() => void upkeep.refetch()} />}
      {data?.problem && (
        <p role="alert" className="mt-2 rounded-md border border-stop/40 bg-sheet px-3 py-2 text-stop">
          {t('senders.upkeep.problem')}
        </p>
      )}
      <CardList className="mt-3" takesFocus={takesFocus}>
        {data && data.requests > 0 && (
          <Card
            count={data.requests}
            tone="text-petrol"
            title={t('senders.upkeep.requests', { count: data.requests })}
            text={t('senders.upkeep.requestsText')}
            act={t('senders.upkeep.act.decide')}
            onOpen={() => onOpen('requests')}
          />
        )}
        {data?.groups.map(group => (
          <Group key={group.kind} group={group} onOpen={() => onOpen(group.kind)} />
        ))}
        {foldable.data?.mailboxes.map(({ mailboxId, name, rules }) => (
          <Card
            key={mailboxId}
            count={rules}
            tone="text-ink"
            title={t('senders.upkeep.foldable', { name })}
            text={t('senders.upkeep.foldableText')}
            act={t('senders.upkeep.act.look')}
            onOpen={() => void navigate(`/mailboxes/${mailboxId}/rules/fold`)}
          />
        ))}
        {!data && Array.from({ length: 4 }, (_, i) => <li key={i} className="skeleton h-20 rounded-md" />)}
      </CardList>
      {data && data.groups.length === 0 && data.requests === 0 && !foldable.data?.mailboxes.length && (
        <p className="mt-3 rounded-md border border-line bg-sheet px-4 py-3">
          {t(data.lookedAt === null ? 'senders.upkeep.notYet' : 'senders.upkeep.nothing')}
        </p>
      )}
      {data && data.accuracy.length > 0 && <AccuracyLine upkeep={data} onOpen={() => onOpen('accuracy')} />}
    </section>
  )
}

interface GroupProps {
  readonly group: UpkeepShape['groups'][number]
  readonly onOpen: () => void
}

/** Findings of one kind: how many, the worst of them, and what is to be done. */
function Group({ group: { kind, count, aside, first }, onOpen }: GroupProps) {
  const { t } = useTranslation()
  return (
    <Card
      count={count}
      tone={
        count === 0
          ? 'text-ink-2'
          : grave.includes(kind)
            ? 'text-stop'
            : mild.includes(kind)
              ? 'text-ink'
              : 'text-amber'
      }
      title={t(`senders.upkeep.kind.${kind}`, { count })}
      text={[first ? factsText(first, t) : '', aside > 0 ? t('senders.upkeep.aside', { count: aside }) : '']
        .filter(text => text !== '')
        .join(' ')}
      act={t(
        `senders.upkeep.act.${tidyKind.safeParse(kind).success ? 'tidy' : kind === 'quiet' ? 'look' : 'decide'}`,
      )}
      onOpen={onOpen}
    />
  )
}

function LookedAt({ upkeep }: { upkeep: UpkeepShape }) {
  const { t } = useTranslation()
  const times = useTimes()
  const { number } = useNumbers()
  if (upkeep.lookedAt === null) return <>{t('senders.upkeep.first')}</>
  return (
    <>
      {t(upkeep.looking ? 'senders.upkeep.looking' : 'senders.upkeep.lookedAt', {
        entries: number(upkeep.entries),
        deliveries: number(upkeep.deliveries),
        time: times.short(upkeep.lookedAt),
      })}
    </>
  )
}

interface CardProps {
  readonly count: number
  readonly tone: string
  readonly title: string
  readonly text: string
  readonly act: string
  readonly onOpen: () => void
}

function Card({ count, tone, title, text, act, onOpen }: CardProps) {
  const { number } = useNumbers()
  return (
    <li data-card tabIndex={-1} className="rounded-md border border-line-strong bg-sheet px-4 py-3">
      <div className="grid grid-cols-[2.6rem_minmax(0,1fr)_auto] items-baseline gap-x-3">
        <span className={clsx('text-right font-serif text-[1.5rem] leading-none font-bold', tone)}>
          {number(count)}
        </span>
        <h3 className="font-semibold">{title}</h3>
        <button
          type="button"
          onClick={onOpen}
          aria-label={`${act}: ${title}`}
          className="border-b border-current font-semibold text-petrol hover:text-ink"
        >
          {act}
        </button>
        <p className="col-start-2 col-end-4 mt-1 text-[0.92rem] text-ink-2">{text}</p>
      </div>
    </li>
  )
}

/** How right the lists were in the last whole week. */
function AccuracyLine({ upkeep, onOpen }: { upkeep: UpkeepShape; onOpen: () => void }) {
  const { t } = useTranslation()
  const { number } = useNumbers()
  const week = upkeep.accuracy.at(-2) ?? upkeep.accuracy.at(-1)
  if (!week || week.decided === 0) return null
  const percent = Math.floor((1000 * (week.decided - week.reversed)) / week.decided) / 10
  return (
    <p className="mt-4 border-t border-line pt-3 text-[0.95rem]">
      {t('senders.accuracy.line', {
        percent: number(percent),
        decided: number(week.decided),
        count: week.reversed,
      })}{' '}
      <button
        type="button"
        onClick={onOpen}
        className="border-b border-current font-semibold text-petrol hover:text-ink"
      >
        {t('senders.accuracy.open')}
      </button>
    </p>
  )
}
