import { useCallback, useEffect, useMemo, useRef } from 'react'
import type { UseInfiniteQueryResult, InfiniteData } from '@tanstack/react-query'
import { useVirtualizer } from '@tanstack/react-virtual'
import { clsx } from 'clsx'
import type { TFunction } from 'i18next'
import { useTranslation } from 'react-i18next'
import type { MailboxRow } from '@pendro/contract'
import { useKeys } from '../../app/keys.ts'
import { useTimes } from '../../app/times.ts'
import { Empty, Failed, SkeletonRows } from '../../parts/states.tsx'

const rowHeight = 56

interface Props {
  readonly table: UseInfiniteQueryResult<InfiniteData<{ rows: MailboxRow[] }>>
  readonly find: string
  readonly openId: number | null
  readonly onFind: (text: string) => void
  readonly onOpen: (id: number) => void
}

/** The mailboxes, however many: rows are drawn as they come into view, up and down go through them. */
export function MailboxList({ table, find, openId, onFind, onOpen }: Props) {
  const { t } = useTranslation()
  const rows = useMemo(() => table.data?.pages.flatMap(page => page.rows) ?? [], [table.data])
  const step = useCallback(
    (by: 1 | -1) => () => {
      const at = rows.findIndex(({ id }) => id === openId)
      const next = rows[Math.min(rows.length - 1, Math.max(0, at + by))]
      if (next) onOpen(next.id)
    },
    [rows, openId, onOpen],
  )
  useKeys(useMemo(() => ({ j: step(1), k: step(-1), ArrowDown: step(1), ArrowUp: step(-1) }), [step]))
  return (
    <div className="grid h-full min-h-0 grid-rows-[auto_minmax(0,1fr)] bg-sheet">
      <div className="border-b border-line bg-ground px-4 py-2.5">
        <input
          value={find}
          onChange={event => onFind(event.target.value)}
          aria-label={t('mailboxes.find')}
          placeholder={t('mailboxes.find')}
          className="w-full rounded-md border border-line-strong bg-raised px-3 py-1.5"
        />
      </div>
      {table.isPending && <SkeletonRows count={10} height={rowHeight} />}
      {table.error && !table.data && <Failed error={table.error} onAgain={() => void table.refetch()} />}
      {table.data && rows.length === 0 && (
        <Empty title={t('mailboxes.none')}>{t('mailboxes.noneText')}</Empty>
      )}
      {rows.length > 0 && (
        <Rows
          rows={rows}
          openId={openId}
          onOpen={onOpen}
          hasMore={table.hasNextPage}
          onMore={() => void table.fetchNextPage()}
        />
      )}
    </div>
  )
}

interface RowsProps extends Pick<Props, 'openId' | 'onOpen'> {
  readonly rows: readonly MailboxRow[]
  readonly hasMore: boolean
  readonly onMore: () => void
}

function Rows({ rows, openId, onOpen, hasMore, onMore }: RowsProps) {
  const { t } = useTranslation()
  const scroller = useRef<HTMLDivElement>(null)
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => scroller.current,
    estimateSize: () => rowHeight,
    overscan: 10,
    getItemKey: i => rows[i]?.id ?? i,
  })
  const shown = virtual.getVirtualItems()
  const lastShown = shown.at(-1)?.index ?? 0
  useEffect(() => {
    if (hasMore && lastShown >= rows.length - 30) onMore()
  }, [hasMore, lastShown, rows.length, onMore])
  const openIndex = rows.findIndex(({ id }) => id === openId)
  useEffect(() => {
    if (openIndex >= 0) virtual.scrollToIndex(openIndex, { align: 'auto' })
    // eslint-disable-next-line react-hooks/exhaustive-deps -- scroll when the choice moves, not when the list grows
  }, [openId])
  return (
    <div
      ref={scroller}
      role="list"
      tabIndex={0}
      aria-label={t('mailboxes.list')}
      className="overflow-y-auto outline-offset-[-2px]"
    >
      <div className="relative" style={{ height: virtual.getTotalSize() }}>
        {shown.map(({ index, key, start }) => {
          const row = rows[index]
          return (
            row && (
              <div key={key} role="listitem" className="absolute inset-x-0" style={{ top: start }}>
                <Row row={row} chosen={row.id === openId} onOpen={onOpen} />
              </div>
            )
          )
        })}
      </div>
    </div>
  )
}

function Row({ row, chosen, onOpen }: { row: MailboxRow; chosen: boolean; onOpen: (id: number) => void }) {
  const { t } = useTranslation()
  const times = useTimes()
  const { text, striking } = noteOf(row, t, times.day)
  return (
    <button
      type="button"
      aria-current={chosen}
      onClick={() => onOpen(row.id)}
      style={{ height: rowHeight }}
      className={clsx(
        'grid w-full grid-cols-[minmax(0,1fr)_auto] content-center gap-x-3 border-b border-l-4 border-b-line px-4 text-left outline-offset-[-3px]',
        chosen ? 'border-l-petrol bg-tint' : 'border-l-transparent hover:bg-raised',
      )}
    >
      <span className="truncate font-bold">{row.name}</span>
      <span className="text-[0.95rem] text-ink-2">
        {row.kept === 0 ? t('mailboxes.keptNone') : t('mailboxes.keptBack', { count: row.kept })}
      </span>
      <span className="col-span-2 truncate text-[0.92rem] text-ink-2">
        {[row.department, row.kind === 'person' ? '' : t(`mailboxes.note.${row.kind}`)]
          .filter(Boolean)
          .join(' · ')}
        {text !== '' && (
          <>
            {(row.department !== '' || row.kind !== 'person') && ' · '}
            <span className={striking ? 'font-semibold text-amber' : ''}>{text}</span>
          </>
        )}
      </span>
    </button>
  )
}

/** What most wants a look, in a few words; '' for nothing. */
function noteOf(
  row: MailboxRow,
  t: TFunction,
  day: (iso: string) => string,
): { text: string; striking: boolean } {
  const said = (text: string, striking: boolean) => ({ text, striking })
  if (row.closed) return said(t('mailboxes.note.closed'), true)
  if (row.going > 0) return said(t('mailboxes.note.going', { count: row.going }), true)
  if (!row.filtering) return said(t('mailboxes.note.filtering-off'), true)
  if (row.awayUntil !== null)
    return said(t('mailboxes.note.away', { day: day(`${row.awayUntil}T12:00:00Z`) }), false)
  if (row.released >= 5) return said(t('mailboxes.note.released', { count: row.released }), true)
  if (row.unlooked > 0) return said(t('mailboxes.note.unlooked', { count: row.unlooked }), false)
  if (!row.digests) return said(t('mailboxes.note.digest-off'), false)
  return row.unlike ? said(t('mailboxes.note.unlike'), false) : said('', false)
}
