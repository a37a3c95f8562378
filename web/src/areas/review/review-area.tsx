import { queryKeyOf } from '../../app/query-keys.ts'
import { useCallback, useEffect, useMemo, useRef, useState } from 'react'
import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { Link, useLocation, useNavigate, useParams } from 'react-router'
import { reviewCluster, type DeliverySheet, type ReviewRow } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useKeys } from '../../app/keys.ts'
import { isStillAt } from '../../app/still-here.ts'
import { useNotices } from '../../app/notices.ts'
import { mayWrite, useSession, looksAfterAll } from '../../app/session.ts'
import { Failed, SkeletonRows } from '../../parts/states.tsx'
import { FilterSentence } from './filter-sentence.tsx'
import { useFilter } from './filter.ts'
import { HandIn } from './hand-in.tsx'
import { ReviewList, rowsOf, useItems, type Item } from './review-list.tsx'
import { useReviewCounts, useReviewList, useReviewLive, useSheet } from './review-queries.ts'
import { RulingBar, useAgainst } from './ruling-bar.tsx'
import {
  choicesForAll,
  forAll,
  isIdle,
  mayApply,
  mayPress,
  messageChoices,
  useRuling,
  withSender,
} from './ruling-store.ts'
import { useMarking, useMarkKeys, type Mark } from './marking.ts'
import { ScoreStrip } from './score-strip.tsx'
import { MessageSide, ReasonsSide } from './sheet.tsx'
import { usePaneKeys } from './pane-keys.ts'
import { areaLayout } from '../../parts/layout.ts'
import { useIsNarrow } from '../../parts/use-is-narrow.ts'
import { clsx } from 'clsx'
import { Boundary } from '../../parts/boundary.tsx'
import { useRulings } from './use-rulings.ts'
import { ListPane } from './list-pane.tsx'

export function ReviewArea() {
  const { t } = useTranslation()
  const { filter, change } = useFilter()
  const list = useReviewList(filter)
  const rows = useMemo(() => list.data?.pages.flatMap(page => page.rows) ?? [], [list.data])
  const [openKeys, setOpenKeys] = useState<ReadonlySet<string>>(new Set())
  const items = useItems(rows, openKeys, filter)
  const oneAtATime = useIsNarrow()
  const { openId, open } = useOpenDelivery(items, list.isPlaceholderData || oneAtATime)
  const live = useReviewLive(openId)
  const { marks, selection } = useRuling()
  const { onMark, markAll } = useMarking(filter, items)
  const toggleCluster = useCallback((key: string) => setOpenKeys(known => toggled(known, key)), [])

  useKeysNoted()
  useMarksFollow(filter)
  usePaneKeys(items, openId, open)
  useMarkKeys({ items, openId, open, onMark, markAll })
  useEffect(() => {
    document.title = `${t('areas.review')} · Pendro`
  }, [t])

  return (
    <div className={clsx('grid h-full grid-rows-[auto_minmax(0,1fr)]', openId === null && areaLayout)}>
      <h1 className="sr-only">{t('areas.review')}</h1>
      <div className={clsx(oneAtATime && openId !== null && 'hidden')}>
        <Head filter={filter} change={change} />
      </div>
      <div className="grid min-h-0 min-[900px]:grid-cols-[minmax(300px,27%)_minmax(0,1fr)]">
        <div
          data-pane="list"
          tabIndex={-1}
          className={clsx(
            'relative min-h-0 border-r border-line-strong bg-sheet outline-none',
            oneAtATime && openId !== null && 'hidden',
          )}
        >
          <ListPane list={list} rows={rows} filter={filter} change={change} live={live} onMarkAll={markAll}>
            <ReviewList
              items={items}
              openId={openId}
              marks={marks}
              allMarked={selection !== null}
              ruledBy={live.ruledBy}
              hasMore={list.hasNextPage && !list.isFetchingNextPage}
              onMore={() => void list.fetchNextPage()}
              onOpen={open}
              onMark={onMark}
              onCluster={toggleCluster}
            />
          </ListPane>
        </div>
        {!(oneAtATime && openId === null) && (
          <OpenDelivery
            key={openId}
            id={openId}
            items={items}
            ruledBy={live.ruledBy}
            open={open}
            onMark={onMark}
            onCluster={toggleCluster}
          />
        )}
      </div>
    </div>
  )
}

/** Marks that the list no longer shows are not ruled on unseen: they go with the list, unless the staffer says otherwise. */
function useMarksFollow(filter: ReturnType<typeof useFilter>['filter']): void {
  const { t } = useTranslation()
  const { mark, keepMarks, dropMarks } = useRuling()
  const show = useNotices(state => state.show)
  const of = JSON.stringify(filter)
  const before = useRef(of)
  useEffect(() => {
    if (before.current === of) return
    before.current = of
    const dropped = dropMarks()
    if (dropped.length === 0) return
    const keep = () => {
      mark(dropped, true)
      keepMarks(true)
    }
    show({
      tone: 'done',
      text: t('ruling.marksDropped', { count: dropped.length }),
      action: { label: t('ruling.marksKeep'), run: keep },
    })
  }, [of, dropMarks, keepMarks, mark, show, t])
}

/** Every key counts as a sign that somebody is looking, before any screen makes something of it. */
function useKeysNoted(): void {
  const pressed = useRuling(state => state.pressed)
  useEffect(() => {
    const note = ({ key }: KeyboardEvent) => pressed(key)
    document.addEventListener('keydown', note, true)
    return () => document.removeEventListener('keydown', note, true)
  }, [pressed])
}

/** The filter as a sentence, and beside it the score with what the filter shows of it. */
function Head({ filter, change }: ReturnType<typeof useFilter>) {
  const { t } = useTranslation()
  const session = useSession()
  const counts = useReviewCounts(filter)
  return (
    <section
      aria-label={t('review.filterLabel')}
      className="grid items-end gap-x-16 gap-y-2 border-b border-line-strong px-6 pt-3 pb-2 max-[899px]:px-4 min-[1080px]:grid-cols-[minmax(0,1fr)_minmax(380px,500px)]"
    >
      <div>
        <FilterSentence filter={filter} change={change} counts={counts.data} />
        {filter.states === 'delivered' && mayWrite(session) && looksAfterAll(session) && <HandIn />}
      </div>
      {counts.data ? (
        <ScoreStrip
          bins={counts.data.bins}
          limits={counts.data.limits}
          band={filter}
          onBand={band => change(band)}
        />
      ) : (
        <div className="skeleton h-16" />
      )}
    </section>
  )
}

function toggled(known: ReadonlySet<string>, key: string): ReadonlySet<string> {
  const next = new Set(known)
  if (!next.delete(key)) next.add(key)
  return next
}

/** The open delivery stands in the address; without one the first of the list opens. */
function useOpenDelivery(
  items: readonly Item[],
  isOldList: boolean,
): { openId: number | null; open: (id: number) => void } {
  const { id } = useParams()
  const { search } = useLocation()
  const navigate = useNavigate()
  const openId = id !== undefined && /^\d{1,15}$/.test(id) ? Number(id) : null
  const open = useCallback(
    (next: number) => void navigate(`/review/${next}${search}`, { replace: true }),
    [navigate, search],
  )
  const first = rowsOf(items)[0]?.id
  useEffect(() => {
    if (openId === null && first !== undefined && !isOldList && isStillAt('/review')) open(first)
  }, [openId, first, isOldList, open])
  return { openId, open }
}

interface OpenProps {
  readonly id: number | null
  readonly items: readonly Item[]
  readonly ruledBy: ReadonlyMap<number, string>
  readonly open: (id: number) => void
  readonly onMark: Mark
  readonly onCluster: (key: string) => void
}

/** The sentence begins with each message, and anew when somebody else ruled on the one that is open. */
function useBeginning(
  id: number | null,
  row: ReviewRow | undefined,
  ruledBy: ReadonlyMap<number, string>,
): void {
  const { begin, interrupt } = useRuling()
  const { staffer } = useSession()
  const began = useRef<Pick<ReviewRow, 'id' | 'state'> | null>(null)
  const by = id === null ? undefined : ruledBy.get(id)
  useEffect(() => {
    if (!row || row.id !== id) return
    const { id: before, state } = began.current ?? {}
    if (before === row.id && state === row.state) return
    began.current = { id: row.id, state: row.state }
    if (before === row.id && by !== undefined && by !== staffer.name) interrupt(by, Date.now())
    else begin(row, Date.now())
  }, [id, row, by, staffer, begin, interrupt])
}

function OpenDelivery({ id, items, ruledBy, open, onMark, onCluster }: OpenProps) {
  const { t } = useTranslation()
  const { data: sheet, error, refetch } = useSheet(id)
  useBeginning(id, sheet?.row, ruledBy)
  if (id === null) return <div className="grid place-items-center text-ink-2">{t('review.chooseOne')}</div>
  if (error && !sheet) return <Failed error={error} onAgain={() => void refetch()} />
  if (!sheet) return <SkeletonRows count={4} height={96} />
  return <Decide sheet={sheet} items={items} open={open} onMark={onMark} onCluster={onCluster} />
}

function Decide({
  sheet,
  items,
  open,
  onMark,
  onCluster,
}: Omit<OpenProps, 'id' | 'ruledBy'> & { sheet: DeliverySheet }) {
  const { sentence, lastRuling, selection } = useRuling()
  const targets = useTargets(sheet.row)
  const { busy, apply, undo } = useRulings()
  const rows = rowsOf(items)
  const at = rows.findIndex(row => row.id === sheet.row.id)
  const here = items.find(item => item.kind === 'row' && item.row.id === sheet.row.id)

  const { needsReason, askReason } = useAgainst(targets)
  const applyNow = useCallback(() => {
    if (isIdle(sentence)) return
    if (needsReason) return askReason()
    if (selection !== null) return void apply({ selection: selection.id }, sentence, () => {})
    const ruled = new Set(targets.map(({ id }) => id))
    const next =
      sentence.message === 'leave'
        ? undefined
        : (rows.slice(at + 1).find(row => !ruled.has(row.id)) ??
          rows.slice(0, Math.max(0, at)).findLast(row => !ruled.has(row.id)))
    void apply(targets, sentence, () => {
      if (next && at >= 0) open(next.id)
    })
  }, [apply, askReason, at, needsReason, open, rows, selection, sentence, targets])

  useRulingKeys({ sheet, targets, here, busy, apply: applyNow, undo, onMark, onCluster })

  return (
    <div className="grid min-h-0 grid-cols-[minmax(0,1fr)] grid-rows-[minmax(0,1fr)_auto] [@media(max-width:899px)_and_(max-height:599px)]:block [@media(max-width:899px)_and_(max-height:599px)]:overflow-y-auto">
      <Panes sheet={sheet} />
      <RulingBar
        sheet={sheet}
        targets={targets}
        busy={busy}
        onApply={() => mayPress(useRuling.getState(), Date.now()) && applyNow()}
        onUndo={lastRuling === null ? null : () => void undo(lastRuling)}
      />
    </div>
  )
}

/** The message and the reasons, side by side where there is room. */
function Panes({ sheet }: { sheet: DeliverySheet }) {
  const { t } = useTranslation()
  return (
    <div className="min-h-0 max-[899px]:overflow-y-auto min-[900px]:grid min-[900px]:grid-cols-[minmax(0,17fr)_minmax(250px,11fr)]">
      <BackToList />
      <div
        data-pane="message"
        className="min-h-0 bg-sheet outline-offset-[-2px] min-[900px]:overflow-y-auto"
        tabIndex={0}
        aria-label={sheet.row.subject || t('review.noSubject')}
        role="region"
      >
        <Boundary of={sheet.row.id}>
          <MessageSide sheet={sheet} />
        </Boundary>
      </div>
      <div
        data-pane="reasons"
        className="min-h-0 border-l border-line-strong outline-offset-[-2px] min-[900px]:overflow-y-auto"
        tabIndex={0}
        aria-label={t('sheet.reasons')}
        role="region"
      >
        <Boundary of={sheet.row.id}>
          <ReasonsSide sheet={sheet} />
        </Boundary>
      </div>
    </div>
  )
}

/** Where one pane is shown at a time: the way back to the list. */
function BackToList() {
  const { t } = useTranslation()
  const { search } = useLocation()
  return (
    <p className="border-b border-line px-4 py-1.5 min-[900px]:hidden">
      <Link to={`/review${search}`} className="border-b border-current text-petrol">
        {t('panes.back')}
      </Link>
    </p>
  )
}

interface RulingKeys extends Pick<OpenProps, 'onMark' | 'onCluster'> {
  readonly sheet: DeliverySheet
  readonly targets: readonly ReviewRow[]
  /** The row of the list that is open, as far as the list shows it. */
  readonly here: Item | undefined
  readonly busy: boolean
  readonly apply: () => void
  readonly undo: (rulingId: number) => Promise<unknown>
}

/** The sentence by keyboard: each key changes one word of it, Enter applies it. */
function useRulingKeys({ sheet, targets, here, busy, apply, undo, onMark, onCluster }: RulingKeys): void {
  const session = useSession()
  const writes = mayWrite(session)
  const { sentence, change, lastRuling, scope, setScope, selection } = useRuling()
  useKeys(
    useMemo(() => {
      const choose = (message: 'release' | 'discard' | 'restore') => () => {
        const choices = selection ? choicesForAll(selection) : messageChoices(sheet.row.state)
        if (choices.includes(message)) change({ message })
      }
      const moves = { g: () => onCluster(sheet.row.clusterKey) }
      if (!writes) return moves
      const about = selection ?? targets
      const restores = selection === null ? sheet.row.state === 'discarded' : selection.can.release === 0
      const widths = (['address', 'domain', 'subtree', 'list'] as const).filter(
        width => width !== 'list' || sheet.listId !== '',
      )
      return {
        ...moves,
        x: () => here?.kind === 'row' && onMark(here.row, here.member),
        r: choose(restores ? 'restore' : 'release'),
        d: choose('discard'),
        s: () => change(withSender(sentence.sender === 'safe' ? 'as-is' : 'safe', about, session)),
        b: () =>
          change({
            ...withSender(sentence.sender === 'blocked' ? 'as-is' : 'blocked', about, session),
            ...(sentence.message === 'release' ? { message: 'leave', learn: 'junk' } : {}),
          }),
        w: () => change({ width: widths[(widths.indexOf(sentence.width) + 1) % widths.length] ?? 'address' }),
        o: () =>
          sentence.sender === 'as-is'
            ? setScope(scope === 'one' ? 'cluster' : 'one')
            : change({ for: sentence.for === 'colleague' ? forAll(session) : 'colleague' }),
        u: () => lastRuling !== null && void undo(lastRuling),
        Enter: () => {
          if (!busy && mayApply(useRuling.getState(), Date.now())) apply()
        },
      }
    }, [
      apply,
      busy,
      writes,
      change,
      here,
      lastRuling,
      onCluster,
      onMark,
      scope,
      selection,
      sentence,
      session,
      setScope,
      sheet,
      targets,
      undo,
    ]),
  )
}

/** The deliveries the sentence is about. A whole cluster means all that is still kept back of it. */
function useTargets(row: ReviewRow): readonly ReviewRow[] {
  const { marks, scope, selection } = useRuling()
  const { filter } = useFilter()
  const cluster = useQuery({
    queryKey: queryKeyOf('ruling-cluster', row.clusterKey, row.state),
    enabled: scope === 'cluster' && marks.size === 0 && selection === null,
    queryFn: ({ signal }) =>
      call(reviewCluster, {
        params: { key: row.clusterKey },
        query: { states: filter.states, days: 366 },
        signal,
      }),
  })
  return useMemo(() => {
    if (selection !== null) return []
    if (marks.size > 0) return [...marks.values()]
    return scope === 'cluster' && cluster.data && cluster.data.rows.length > 0 ? cluster.data.rows : [row]
  }, [marks, scope, selection, cluster.data, row])
}
