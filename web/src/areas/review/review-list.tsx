import { memo, useEffect, useMemo, useRef } from 'react'
import { useQueries } from '@tanstack/react-query'
import { useVirtualizer } from '@tanstack/react-virtual'
import { clsx } from 'clsx'
import { Paperclip } from 'lucide-react'
import { useTranslation } from 'react-i18next'
import { endsByItself, isKeptBack, type ReviewRow } from '@pendro/contract'
import { useNumbers, useTimes } from '../../app/times.ts'
import { Checkbox } from '../../parts/checkbox.tsx'
import { Pendulum } from '../../parts/pendulum.tsx'
import type { Filter } from './filter.ts'
import type { Mark } from './marking.ts'
import { clusterQuery } from './review-queries.ts'

export type Item =
  | { readonly kind: 'cluster'; readonly row: ReviewRow; readonly open: boolean }
  | { readonly kind: 'singles' }
  | { readonly kind: 'row'; readonly row: ReviewRow; readonly member: boolean }

/** The rows among the items, in their order. */
export const rowsOf = (items: readonly Item[]): readonly ReviewRow[] =>
  items.flatMap(item => (item.kind === 'row' ? [item.row] : []))

/** Rows with their headings: one for each cluster, one in front of each run of single messages. */
function itemsOf(
  rows: readonly ReviewRow[],
  open: ReadonlyMap<string, readonly ReviewRow[]>,
): readonly Item[] {
  const items: Item[] = []
  rows.forEach((row, i) => {
    const members = open.get(row.clusterKey)
    if (row.clusterDeliveries > 1) {
      items.push({ kind: 'cluster', row, open: members !== undefined }, { kind: 'row', row, member: false })
      for (const member of members ?? [])
        if (member.id !== row.id) items.push({ kind: 'row', row: member, member: true })
    } else {
      if (i === 0 || (rows[i - 1]?.clusterDeliveries ?? 1) > 1) items.push({ kind: 'singles' })
      items.push({ kind: 'row', row, member: false })
    }
  })
  return items
}

export function useItems(
  rows: readonly ReviewRow[],
  openKeys: ReadonlySet<string>,
  filter: Filter,
): readonly Item[] {
  const keys = useMemo(() => [...openKeys], [openKeys])
  const found = useQueries({ queries: keys.map(key => clusterQuery(key, filter)) })
  const members = found.map(({ data }) => data)
  return useMemo(
    () => itemsOf(rows, new Map(keys.map((key, i) => [key, members[i]?.rows ?? []]))),
    // eslint-disable-next-line react-hooks/exhaustive-deps -- `members` is a new list each time; its parts are what counts
    [rows, keys, ...members],
  )
}

interface Props {
  readonly items: readonly Item[]
  readonly openId: number | null
  readonly marks: ReadonlyMap<number, ReviewRow>
  /** Everything the filter shows is marked. */
  readonly allMarked: boolean
  readonly ruledBy: ReadonlyMap<number, string>
  readonly hasMore: boolean
  readonly onMore: () => void
  readonly onOpen: (id: number) => void
  readonly onMark: Mark
  readonly onCluster: (key: string) => void
}

const headingHeight = 34
const rowHeight = 92
const line = 'flex w-full items-baseline justify-between gap-3'

export function ReviewList({ items, hasMore, onMore, ...rest }: Props) {
  const { t } = useTranslation()
  const scroller = useRef<HTMLDivElement>(null)
  const virtual = useVirtualizer({
    count: items.length,
    getScrollElement: () => scroller.current,
    estimateSize: i => (items[i]?.kind === 'row' ? rowHeight : headingHeight),
    overscan: 8,
    getItemKey: i => keyOf(items[i], i),
  })
  const shown = virtual.getVirtualItems()
  const lastShown = shown.at(-1)?.index ?? 0
  useEffect(() => {
    if (hasMore && lastShown >= items.length - 25) onMore()
  }, [hasMore, lastShown, items.length, onMore])

  const { openId } = rest
  const openIndex = items.findIndex(item => item.kind === 'row' && item.row.id === openId)
  useEffect(() => {
    if (openIndex >= 0) virtual.scrollToIndex(openIndex, { align: 'auto' })
    // eslint-disable-next-line react-hooks/exhaustive-deps -- scroll when the choice moves, not when the list grows
  }, [openId])

  return (
    <div
      ref={scroller}
      role="list"
      aria-label={t('review.list')}
      tabIndex={0}
      className="h-full overflow-y-auto bg-sheet outline-offset-[-2px]"
    >
      <div className="relative" style={{ height: virtual.getTotalSize() }}>
        {shown.map(({ index, key, start }) => {
          const item = items[index]
          if (!item) return null
          return (
            <div key={key} role="listitem" className="absolute inset-x-0" style={{ top: start }}>
              <Entry item={item} {...rest} />
            </div>
          )
        })}
      </div>
    </div>
  )
}

type EntryProps = Omit<Props, 'items' | 'hasMore' | 'onMore'> & { readonly item: Item }

/** A row of the list: the heading of a cluster, of what stands alone, or a delivery. */
function Entry({ item, openId, marks, allMarked, ruledBy, onOpen, onMark, onCluster }: EntryProps) {
  const { t } = useTranslation()
  return (
    <>
      {item.kind === 'cluster' && (
        <ClusterHeading row={item.row} open={item.open} onToggle={() => onCluster(item.row.clusterKey)} />
      )}
      {item.kind === 'singles' && (
        <p
          className="flex items-center border-b border-line bg-ground/70 px-5 text-[0.92rem] font-bold"
          style={{ height: headingHeight }}
        >
          {t('review.singles')}
        </p>
      )}
      {item.kind === 'row' && (
        <Row
          row={item.row}
          member={item.member}
          chosen={item.row.id === openId}
          marked={allMarked || marks.has(item.row.id)}
          ruledBy={ruledBy.get(item.row.id) ?? null}
          onOpen={onOpen}
          onMark={onMark}
        />
      )}
    </>
  )
}

function keyOf(item: Item | undefined, i: number): string {
  if (!item || item.kind === 'singles') return `h${i}`
  return item.kind === 'cluster' ? `c${item.row.id}` : `${item.member ? 'm' : 'r'}${item.row.id}`
}

function ClusterHeading({ row, open, onToggle }: { row: ReviewRow; open: boolean; onToggle: () => void }) {
  const { t } = useTranslation()
  const { number } = useNumbers()
  return (
    <div
      className="flex items-center gap-2 border-b border-line bg-ground/70 px-5 text-[0.92rem]"
      style={{ height: headingHeight }}
    >
      <span className="min-w-0 truncate font-bold">{row.subject || t('review.noSubject')}</span>
      <span className="shrink-0 text-ink-2">
        {t('review.sameText', { count: row.clusterColleagues, shown: number(row.clusterColleagues) })}
      </span>
      <button
        type="button"
        aria-expanded={open}
        onClick={onToggle}
        className="ml-auto shrink-0 border-b border-transparent text-ink-2 hover:border-current hover:text-petrol"
      >
        {t(open ? 'review.closeCluster' : 'review.openCluster')}
      </button>
    </div>
  )
}

interface RowProps {
  readonly row: ReviewRow
  readonly member: boolean
  readonly chosen: boolean
  readonly marked: boolean
  readonly ruledBy: string | null
  readonly onOpen: (id: number) => void
  readonly onMark: Mark
}

const Row = memo(function Row({ row, member, chosen, marked, ruledBy, onOpen, onMark }: RowProps) {
  const { t } = useTranslation()
  const shift = useRef(false)
  return (
    <div
      onClickCapture={event => {
        shift.current = event.shiftKey
      }}
      className={clsx(
        'flex items-center gap-2.5 border-b border-l-4 border-b-line pr-4',
        chosen ? 'border-l-petrol bg-tint' : 'border-l-transparent hover:bg-raised',
        member ? 'pl-9' : 'pl-4',
      )}
      style={{ height: rowHeight }}
    >
      <Checkbox
        checked={marked}
        label={t('review.mark', { subject: row.subject })}
        onChange={() => onMark(row, member, shift.current)}
      />
      <Pendulum score={row.score} />
      <button
        type="button"
        data-row
        onClick={() => onOpen(row.id)}
        aria-current={chosen}
        className="flex h-full min-w-0 flex-1 flex-col justify-center text-left outline-offset-[-3px]"
      >
        <RowLines row={row} member={member} ruledBy={ruledBy} />
      </button>
    </div>
  )
})

/** Who, about what, from where, and to whom. */
function RowLines({ row, member, ruledBy }: Pick<RowProps, 'row' | 'member' | 'ruledBy'>) {
  const { t } = useTranslation()
  const times = useTimes()
  const { size } = useNumbers()
  const name = row.fromName || row.fromAddress || t('review.noSender')
  const done = !isKeptBack(row.state)
  const daysLeft = times.daysLeft(row.expiresAt)
  return (
    <>
      <span className={line}>
        <span className={clsx('min-w-0 truncate font-bold', done && 'font-normal text-ink-2')}>{name}</span>
        <span className="shrink-0 text-[0.9rem] text-ink-2">{times.short(row.receivedAt)}</span>
      </span>
      <span className={clsx('block w-full truncate', done && 'text-ink-2')}>
        {row.attachments > 0 && (
          <Paperclip
            aria-label={t('review.attachments', { count: row.attachments })}
            className="mr-1 inline size-3.5 align-[-2px] text-ink-2"
          />
        )}
        {row.subject || t('review.noSubject')}
      </span>
      <span className={line}>
        <span className="min-w-0 truncate font-mono text-[0.82rem] text-ink-2">{row.fromAddress}</span>
        <span className="shrink-0 text-[0.85rem] text-ink-2">{size(row.size)}</span>
      </span>
      <span className={line}>
        <span className="min-w-0 truncate text-[0.9rem] text-ink-2">
          {done ? (
            <b className="text-petrol">
              {ruledBy
                ? t(`review.doneBy.${row.state}`, { by: ruledBy })
                : row.moved
                  ? t(`review.moved.${row.moved.as}`, { count: row.moved.colleagues })
                  : t(`state.${row.state}`)}
            </b>
          ) : (
            <Circumstance row={row} member={member} />
          )}
        </span>
        <LeftOver row={row} daysLeft={daysLeft} />
      </span>
    </>
  )
}

function LeftOver({ row, daysLeft }: { row: ReviewRow; daysLeft: number }) {
  const { t } = useTranslation()
  if (!endsByItself(row.state)) return <span />
  const text = daysLeft <= 0 ? t('review.goesNow') : t('review.daysLeft', { count: daysLeft })
  return (
    <span className={clsx('shrink-0 text-[0.9rem]', daysLeft <= 2 ? 'font-bold text-stop' : 'text-ink-2')}>
      {text}
    </span>
  )
}

function Circumstance({ row, member }: { row: ReviewRow; member: boolean }) {
  const { t } = useTranslation()
  const others = row.clusterColleagues - 1
  const to =
    others > 0 && !member
      ? t('review.toOthers', { name: row.mailboxName, count: others })
      : t('review.to', { name: row.mailboxName })
  return (
    <>
      {row.askedFor && <b className="text-amber">{t('review.askedFor')} · </b>}
      {[
        to,
        ...(row.sentTo === '' ? [] : [t('review.sentTo', { address: row.sentTo })]),
        ...row.reasons.map(({ finding, facts }) => t(`circumstance.${finding}`, facts)),
      ].join(' · ')}
    </>
  )
}
