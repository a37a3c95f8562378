import { queryKeyOf } from '../../app/query-keys.ts'
import { useMemo } from 'react'
import { z } from 'zod'
import { useInfiniteQuery } from '@tanstack/react-query'
import { ColleagueLink } from '../../parts/colleague-link.tsx'
import { useTranslation } from 'react-i18next'
import { Link, useSearchParams } from 'react-router'
import { readRecord, undoMailboxChange, undoRuling, type RecordLine } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { mayWrite, useSession } from '../../app/session.ts'
import { useTimes } from '../../app/times.ts'
import { readFilterBy } from '../../app/url-filter.ts'
import { Button } from '../../parts/buttons.tsx'
import { CardList } from '../../parts/card-list.tsx'
import { MailboxSlot } from '../../parts/mailbox-slot.tsx'
import { Sentence } from '../../parts/sentence.tsx'
import { SentenceSlot } from '../../parts/sentence-slot.tsx'
import { FirstSteps } from '../../parts/first-steps.tsx'
import { Empty, Failed, SkeletonRows } from '../../parts/states.tsx'
import { sentenceOf } from './record-text.ts'
import { useAct } from '../../app/use-act.ts'
import { areaLayout } from '../../parts/layout.ts'

const whoChoices = ['staffers', 'me', 'pendro', 'everybody'] as const
const whatChoices = [
  'everything',
  'rulings',
  'lists',
  'reading',
  'digests',
  'enquiries',
  'mail-rules',
  'mailboxes',
  'signing-in',
] as const
const sinceChoices = [1, 7, 28, 0] as const

interface Filter {
  readonly who: (typeof whoChoices)[number]
  readonly what: (typeof whatChoices)[number]
  readonly mailbox: number | undefined
  /** Days back; 0 for as long as there is a record. */
  readonly days: number
  readonly ruling: number | undefined
}

const { who, what, mailbox, ruling } = readRecord.query.shape
/** The server is asked since when; people think in days back. */
const days = z.coerce.number().int().min(0).max(3660).default(28)

function readFilter(search: URLSearchParams): Filter {
  const given = { who, what: what.unwrap().default('rulings'), mailbox, days, ruling }
  const read = readFilterBy(given, search)
  return { ...read, mailbox: read.mailbox, ruling: read.ruling }
}

interface FilterProps {
  readonly filter: Filter
  readonly set: (name: string, value: string | undefined) => void
}

export function RecordArea() {
  const { t } = useTranslation()
  const [search, setSearch] = useSearchParams()
  const filter = useMemo(() => readFilter(search), [search])
  const set = (name: string, value: string | undefined) =>
    setSearch(
      now => {
        const next = new URLSearchParams(now)
        if (value === undefined) next.delete(name)
        else next.set(name, value)
        if (name !== 'ruling') next.delete('ruling')
        return next
      },
      { replace: true },
    )
  return (
    <div className={areaLayout}>
      <h1 className="sr-only">{t('areas.record')}</h1>
      <section className="border-b border-line-strong px-6 py-4 text-[1.14rem] leading-[2.05rem]">
        {filter.ruling === undefined ? (
          <FilterSentence filter={filter} set={set} />
        ) : (
          <OneRuling id={filter.ruling} onAll={() => set('ruling', undefined)} />
        )}
      </section>
      <Lines filter={filter} />
    </div>
  )
}

function OneRuling({ id, onAll }: { id: number; onAll: () => void }) {
  const { t } = useTranslation()
  return (
    <>
      {t('record.oneRuling', { id })}{' '}
      <button type="button" className="border-b border-current font-semibold text-petrol" onClick={onAll}>
        {t('record.showAll')}
      </button>
    </>
  )
}

function FilterSentence({ filter, set }: FilterProps) {
  const { t } = useTranslation()
  return (
    <Sentence
      text={t('record.filter')}
      slots={{
        what: (
          <SentenceSlot
            label={t('record.whatLabel')}
            text={t(`record.what.${filter.what}`)}
            value={filter.what}
            options={whatChoices.map(value => ({ value, text: t(`record.what.${value}`) }))}
            onPick={value => set('what', value)}
          />
        ),
        who: (
          <SentenceSlot
            label={t('record.whoLabel')}
            text={t(`record.who.${filter.who}`)}
            value={filter.who}
            options={whoChoices.map(value => ({ value, text: t(`record.who.${value}`) }))}
            onPick={value => set('who', value)}
          />
        ),
        mailbox: (
          <MailboxSlot
            mailbox={filter.mailbox}
            onPick={id => set('mailbox', id === undefined ? undefined : String(id))}
          />
        ),
        days: (
          <SentenceSlot
            label={t('record.daysLabel')}
            text={t([`record.days.${filter.days}`, 'record.anyDays'], { count: filter.days })}
            value={String(filter.days)}
            options={sinceChoices.map(value => ({
              value: String(value),
              text: t(`record.days.${value}`),
            }))}
            onPick={value => set('days', value)}
          />
        ),
      }}
    />
  )
}

/** The filter as the record is asked by it; one ruling is shown whole, whoever and whenever. */
function useRecord({ who, what, mailbox, days, ruling }: Filter) {
  const times = useTimes()
  const one = ruling !== undefined
  const since = days === 0 || one ? undefined : times.isoDay(new Date(Date.now() - (days - 1) * 86_400_000))
  const query = { who: one ? ('everybody' as const) : who, what, mailbox, since, ruling }
  return useInfiniteQuery({
    queryKey: queryKeyOf('record', query),
    initialPageParam: undefined as string | undefined,
    queryFn: ({ pageParam, signal }) => call(readRecord, { query: { ...query, after: pageParam }, signal }),
    getNextPageParam: page => page.next ?? undefined,
  })
}

function Lines({ filter }: Pick<FilterProps, 'filter'>) {
  const { t } = useTranslation()
  const times = useTimes()
  const list = useRecord(filter)
  const lines = list.data?.pages.flatMap(page => page.lines) ?? []
  return (
    <div className="overflow-y-auto bg-sheet" tabIndex={0} role="region" aria-label={t('areas.record')}>
      {list.isPending && <SkeletonRows count={10} height={56} />}
      {list.error && !list.data && <Failed error={list.error} onAgain={() => void list.refetch()} />}
      {list.data && lines.length === 0 && (
        <Empty title={t('record.empty')}>
          {t('record.emptyText')}
          <FirstSteps className="mt-2" />
        </Empty>
      )}
      <CardList isOnlyList presses={{ u: '[data-undo]' }} className="mx-auto max-w-6xl gap-0! pb-10">
        {lines.map((line, i) => (
          <Line key={line.id} line={line} heading={headingOf(line, lines[i - 1], times.dayHeading)} />
        ))}
      </CardList>
      {list.hasNextPage && (
        <p className="pb-10 text-center">
          <Button disabled={list.isFetchingNextPage} onClick={() => void list.fetchNextPage()}>
            {t('record.more')}
          </Button>
        </p>
      )}
    </div>
  )
}

function headingOf(
  line: RecordLine,
  before: RecordLine | undefined,
  dayHeading: (iso: string) => string,
): string | null {
  const heading = dayHeading(line.at)
  return before && dayHeading(before.at) === heading ? null : heading
}

/** Whether a line names an entry or an enquiry to go on to. */
const leadsOn = ({ facts }: RecordLine, to: 'entry' | 'enquiry') => Number(facts[to] ?? 0) > 0

function Line({ line, heading }: { line: RecordLine; heading: string | null }) {
  const { t, i18n } = useTranslation()
  const times = useTimes()
  return (
    <li data-card tabIndex={-1} className="outline-offset-[-2px]">
      {heading !== null && (
        <h2 className="sticky top-0 border-b border-line bg-sheet px-6 pt-5 pb-1.5 font-serif text-[1.1rem] font-semibold first-letter:uppercase">
          {heading}
        </h2>
      )}
      <div className="grid grid-cols-[4.5rem_9rem_minmax(0,1fr)_auto] items-baseline gap-x-4 border-b border-line px-6 py-2.5 max-[899px]:grid-cols-[3.5rem_minmax(0,1fr)] max-[899px]:px-4">
        <time dateTime={line.at} className="text-ink-2" title={times.full(line.at)}>
          {times.clock(line.at)}
        </time>
        <span className={line.byKind === 'pendro' ? 'text-ink-2' : 'font-semibold'}>{line.by}</span>
        <div className={line.undone ? 'text-ink-2 line-through decoration-line-strong' : ''}>
          <p>
            <Sentence
              text={sentenceOf(line.mailboxId === null ? line : { ...line, mailboxName: '[[who]]' }, {
                t,
                language: i18n.language,
                day: times.day,
              })}
              slots={{ who: <ColleagueLink id={line.mailboxId ?? 0} name={line.mailboxName} /> }}
            />
          </p>
          {(line.reason !== '' ||
            line.deliveryId !== null ||
            leadsOn(line, 'entry') ||
            leadsOn(line, 'enquiry')) && (
            <p className="text-[0.95rem] text-ink-2">
              {line.reason !== '' && <span>{t('record.because', { reason: line.reason })} </span>}
              {line.deliveryId !== null && (
                <Link to={`/review/${line.deliveryId}`} className={leading}>
                  {t('record.openMessage')}
                </Link>
              )}{' '}
              {leadsOn(line, 'enquiry') && (
                <Link to={`/whereabouts?enquiry=${line.facts.enquiry}`} className={leading}>
                  {t('record.openEnquiry')}
                </Link>
              )}{' '}
              {leadsOn(line, 'entry') && (
                <Link to={`/senders/${line.facts.entry}`} className={leading}>
                  {t('record.openEntry')}
                </Link>
              )}
            </p>
          )}
        </div>
        <UndoFromHere line={line} />
      </div>
    </li>
  )
}

/** A link that stands alone, as high as a finger wants it (WCAG 2.2, 2.5.8). */
const leading = 'inline-block min-h-[26px] border-b border-current leading-[25px]'

const undoable: ReadonlySet<string> = new Set([
  'ruling',
  'lists',
  'upkeep',
  'import',
  'approved',
  'mail-rules-folded',
])

function UndoFromHere({ line }: { line: RecordLine }) {
  return line.changeId === null ? (
    <UndoRuling line={line} />
  ) : (
    <UndoChange line={line} changeId={line.changeId} />
  )
}

/** Takes a change of a mailbox back. */
function UndoChange({ line, changeId }: { line: RecordLine; changeId: number }) {
  const { t } = useTranslation()
  const session = useSession()
  const undoing = useAct({
    send: () => call(undoMailboxChange, { params: { id: changeId } }),
    notice: () => ({ text: t('ruling.undone') }),
    makes: 'undone-from-afar',
  })
  if (!mayWrite(session)) return <span />
  if (line.undone) return <span className="text-ink-2">{t('record.undone')}</span>
  return (
    <Button kind="link" data-undo disabled={undoing.isPending} onClick={() => undoing.mutate()}>
      {t('record.undo')}
    </Button>
  )
}

function UndoRuling({ line }: { line: RecordLine }) {
  const { t } = useTranslation()
  const session = useSession()
  const undoing = useAct({
    send: (id: number) => call(undoRuling, { params: { id } }),
    notice: ({ stayedReleased, running }) => ({
      text:
        running !== null
          ? t('ruling.beingUndone')
          : stayedReleased > 0
            ? t('ruling.undoneBut', { count: stayedReleased })
            : t('ruling.undone'),
    }),
    makes: 'undone-from-afar',
  })
  if (!undoable.has(line.act) || line.rulingId === null || !mayWrite(session)) return <span />
  if (line.undone) return <span className="text-ink-2">{t('record.undone')}</span>
  const id = line.rulingId
  return (
    <Button kind="link" data-undo disabled={undoing.isPending} onClick={() => undoing.mutate(id)}>
      {t('record.undo')}
    </Button>
  )
}
