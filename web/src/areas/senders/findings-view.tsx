import { queryKeyOf } from '../../app/query-keys.ts'
import { useEffect, useRef, useState, type FormEvent, type ReactNode } from 'react'
import { useInfiniteQuery, useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import {
  applyRemedy,
  previewRemedy,
  readFindings,
  setAside,
  type EntryBrief,
  type FindingKind,
  type FindingShape,
  tidyKind,
  type TidyKind,
} from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { mayWrite, useSession } from '../../app/session.ts'
import { useTimes } from '../../app/times.ts'
import { Button } from '../../parts/buttons.tsx'
import { CardList } from '../../parts/card-list.tsx'
import { ReachView } from '../../parts/reach.tsx'
import { StandingMark } from '../../parts/standing.tsx'
import { Empty, Failed } from '../../parts/states.tsx'
import { factsText } from './finding-text.ts'
import { SidePanel } from './side-panel.tsx'
import { useListActs } from './use-senders.ts'
import { useAct } from '../../app/use-act.ts'

const isTidy = (kind: FindingKind): kind is TidyKind => tidyKind.safeParse(kind).success

/** The findings of one kind, each with its remedies. */
export function FindingsView({ kind, onClose }: { kind: FindingKind; onClose: () => void }) {
  const { t } = useTranslation()
  const [aside, setAsideShown] = useState<'no' | 'yes'>('no')
  const list = useInfiniteQuery({
    queryKey: queryKeyOf('senders', 'findings', kind, aside),
    initialPageParam: 0,
    queryFn: ({ pageParam, signal }) =>
      call(readFindings, { query: { kind, aside, from: pageParam, limit: 50 }, signal }),
    getNextPageParam: (page, pages) => {
      const read = pages.reduce((sum, { findings }) => sum + findings.length, 0)
      return read < page.total ? read : undefined
    },
  })
  const findings = list.data?.pages.flatMap(page => page.findings) ?? []
  const total = list.data?.pages[0]?.total ?? 0
  return (
    <SidePanel
      title={t(`senders.upkeep.kind.${kind}`, { count: total })}
      count={total}
      onClose={onClose}
      text={t(`senders.upkeep.about.${kind}`)}
    >
      {isTidy(kind) && aside === 'no' && total > 1 && <TidyAll kind={kind} count={total} />}
      {list.error && !list.data && <Failed error={list.error} onAgain={() => void list.refetch()} />}
      {list.data && findings.length === 0 && (
        <Empty title={t('senders.finding.none')}>{t('senders.finding.noneText')}</Empty>
      )}
      <CardList takesFocus>
        {findings.map(finding => (
          <Finding key={finding.key} finding={finding} />
        ))}
      </CardList>
      {list.hasNextPage && (
        <p className="mt-3 text-center">
          <Button disabled={list.isFetchingNextPage} onClick={() => void list.fetchNextPage()}>
            {t('senders.finding.more')}
          </Button>
        </p>
      )}
      <p className="mt-4">
        <Button kind="link" onClick={() => setAsideShown(aside === 'no' ? 'yes' : 'no')}>
          {t(aside === 'no' ? 'senders.finding.showAside' : 'senders.finding.showOpen')}
        </Button>
      </p>
    </SidePanel>
  )
}

function Finding({ finding }: { finding: FindingShape }) {
  const { t } = useTranslation()
  const times = useTimes()
  const session = useSession()
  const { entries, entryCount } = finding
  return (
    <li data-card tabIndex={-1} className="rounded-md border border-line-strong bg-sheet px-4 py-3">
      <ul className="grid gap-0.5">
        {entries.slice(0, 6).map(entry => (
          <EntryName key={entry.id} entry={entry} />
        ))}
      </ul>
      {entryCount > 6 && (
        <p className="text-[0.92rem] text-ink-2">{t('senders.finding.andMore', { count: entryCount - 6 })}</p>
      )}
      <p className="mt-1 text-[0.95rem]">{factsText(finding, t)}</p>
      {finding.aside ? (
        <AsideNote
          finding={finding}
          text={t('senders.finding.asideBy', { ...finding.aside, day: times.day(finding.aside.at) })}
        />
      ) : (
        mayWrite(session) && <Remedies finding={finding} />
      )}
    </li>
  )
}

/** What can be done about a finding, one at a time: a remedy with its proof, or set aside with a reason. */
function Remedies({ finding }: { finding: FindingShape }) {
  const { t } = useTranslation()
  const [remedy, setRemedy] = useState<string | null>(null)
  const [isAsiding, setAsiding] = useState(false)
  return (
    <>
      <p className="mt-2 flex flex-wrap gap-1.5">
        {finding.remedies.map(({ name, adds, ends }) => (
          <Button
            key={name}
            aria-expanded={remedy === name}
            className="min-w-0 text-left text-[0.95rem] [overflow-wrap:anywhere] whitespace-normal!"
            onClick={() => {
              setAsiding(false)
              setRemedy(remedy === name ? null : name)
            }}
          >
            {t(`senders.remedy.${name}`, { pattern: adds[0] ?? '', adds: adds.length, count: ends })}
          </Button>
        ))}
        <Button
          kind="link"
          className="ml-auto self-center text-[0.95rem]"
          aria-expanded={isAsiding}
          onClick={() => {
            setRemedy(null)
            setAsiding(!isAsiding)
          }}
        >
          {t('senders.finding.setAside')}
        </Button>
      </p>
      {remedy !== null && (
        <RemedyPreview
          chosen={{ findings: [{ key: finding.key, remedy: remedy as 'end' }] }}
          patterns={finding.entries.map(({ pattern }) => pattern)}
        />
      )}
      {isAsiding && <AsideForm finding={finding} />}
    </>
  )
}

function EntryName({ entry }: { entry: EntryBrief }) {
  const { t } = useTranslation()
  return (
    <li className="flex flex-wrap items-baseline gap-x-1.5">
      <StandingMark standing={entry.standing} />
      <Link
        to={`/senders/${entry.id}`}
        className="inline-block max-w-full truncate border-b border-line-strong font-mono leading-[25px] hover:border-current"
      >
        {entry.pattern}
      </Link>
      <span className="shrink-0 text-[0.92rem] text-ink-2">
        {t(`standing.${entry.standing}`)} ·{' '}
        {entry.mailboxId === null ? t('senders.organisation') : entry.keptBy}
        {entry.binding && ` · ${t('senders.binding')}`}
      </span>
    </li>
  )
}

function TidyAll({ kind, count }: { kind: TidyKind; count: number }) {
  const { t } = useTranslation()
  const session = useSession()
  const [open, setOpen] = useState(false)
  if (!mayWrite(session)) return null
  return (
    <div className="mb-3 rounded-md border border-petrol bg-raised px-4 py-3">
      <Button kind="main" aria-expanded={open} onClick={() => setOpen(!open)}>
        {t('senders.remedy.tidyAll', { count })}
      </Button>
      {open && <RemedyPreview chosen={{ tidy: kind }} patterns={[]} />}
    </div>
  )
}

type Chosen =
  | { readonly tidy: TidyKind }
  | { readonly findings: { readonly key: string; readonly remedy: 'end' }[] }

/** What a remedy would come to, and since when that is on the screen. */
function useProof(chosen: Chosen) {
  const proof = useQuery({
    queryKey: queryKeyOf('senders', 'remedy', chosen),
    queryFn: ({ signal }) => call(previewRemedy, { body: chosen, signal }),
  })
  const shownAt = useRef(Infinity)
  useEffect(() => {
    if (proof.data) shownAt.current = performance.now()
  }, [proof.data])
  return { ...proof, shownAt }
}

/** The exact entries, the replay that proves the effect, and the act. */
function RemedyPreview({ chosen, patterns }: { chosen: Chosen; patterns: readonly string[] }) {
  const { t } = useTranslation()
  const { busy, run } = useListActs()
  const [reason, setReason] = useState('')
  const { data, error, isPending, shownAt } = useProof(chosen)
  if (isPending) return <p className="mt-2 text-ink-2">{t('reach.counting', { days: 30 })}</p>
  if (error)
    return (
      <p role="alert" className="mt-2 text-stop">
        {problemOf(error).text}
      </p>
    )
  const apply = (event: FormEvent) => {
    event.preventDefault()
    if (busy || data.refusal !== null) return
    run(() => call(applyRemedy, { body: { ...chosen, reason, token: crypto.randomUUID() } }))
  }
  return (
    <form
      onSubmit={apply}
      className="mt-2 grid gap-1.5 border-t border-line pt-2 text-[0.95rem]"
      data-testid="remedy"
    >
      <Changes title={t('senders.remedy.adds')} names={data.adds} />
      <Changes
        title={t('senders.remedy.ends')}
        names={data.ends.map(
          ({ pattern, keptBy }) => `${pattern} (${keptBy === '' ? t('senders.organisation') : keptBy})`,
        )}
        fewer={patterns.length > 0}
      />
      <ReachView reach={data} listed />
      <div className="flex items-center gap-2">
        <label className="min-w-0 flex-1">
          <span className="sr-only">{t('senders.remedy.reason')}</span>
          <input
            autoFocus
            value={reason}
            maxLength={1000}
            onChange={event => setReason(event.target.value)}
            onKeyDown={event => {
              if (event.key === 'Enter' && isUnseen(shownAt.current)) event.preventDefault()
            }}
            placeholder={t('senders.remedy.reason')}
            className="w-full rounded-sm border border-line-strong bg-raised px-2 py-1"
          />
        </label>
        <Button kind="main" type="submit" disabled={busy || data.refusal !== null}>
          {t('senders.remedy.apply')}
        </Button>
      </div>
    </form>
  )
}

/** A second press of the key that opened the proof comes before anybody can have read it. */
const isUnseen = (shownAt: number) => performance.now() - shownAt < 600

function Changes({
  title,
  names,
  fewer = true,
}: {
  title: string
  names: readonly string[]
  fewer?: boolean
}) {
  const { t } = useTranslation()
  const [all, setAll] = useState(false)
  if (names.length === 0) return null
  const most = fewer ? 5 : 4
  const shown = all ? names : names.slice(0, most)
  return (
    <p>
      {title}: <span className="font-mono text-[0.95em] break-words">{shown.join(', ')}</span>
      {names.length > shown.length && (
        <>
          {' '}
          <Button kind="link" onClick={() => setAll(true)}>
            {t('senders.finding.andMore', { count: names.length - shown.length })}
          </Button>
        </>
      )}
    </p>
  )
}

function useAside() {
  return useAct({
    send: (body: { key: string; reason?: string; back?: boolean }) => call(setAside, { body }),
    makes: 'senders-worked',
  })
}

function AsideForm({ finding }: { finding: FindingShape }) {
  const { t } = useTranslation()
  const asiding = useAside()
  return (
    <form
      className="mt-2 flex items-center gap-2 border-t border-line pt-2"
      onSubmit={event => {
        event.preventDefault()
        const reason = String(new FormData(event.currentTarget).get('reason') ?? '').trim()
        if (reason !== '') asiding.mutate({ key: finding.key, reason })
      }}
    >
      <input
        name="reason"
        autoFocus
        required
        maxLength={1000}
        aria-label={t('senders.finding.asideReason')}
        placeholder={t('senders.finding.asideReason')}
        className="min-w-0 flex-1 rounded-sm border border-line-strong bg-raised px-2 py-1"
      />
      <Button type="submit" disabled={asiding.isPending}>
        {t('senders.finding.setAside')}
      </Button>
    </form>
  )
}

function AsideNote({ finding, text }: { finding: FindingShape; text: string }): ReactNode {
  const { t } = useTranslation()
  const asiding = useAside()
  return (
    <p className="mt-1 text-[0.95rem] text-ink-2">
      {text}{' '}
      <Button kind="link" onClick={() => asiding.mutate({ key: finding.key, back: true })}>
        {t('senders.finding.takeBack')}
      </Button>
    </p>
  )
}
