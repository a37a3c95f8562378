import { memo, useEffect, useRef } from 'react'
import { useVirtualizer } from '@tanstack/react-virtual'
import { clsx } from 'clsx'
import type { TFunction } from 'i18next'
import { useTranslation } from 'react-i18next'
import type { EntryRowShape } from '@pendro/contract'
import { useTimes } from '../../app/times.ts'
import { Checkbox } from '../../parts/checkbox.tsx'
import { Standing } from '../../parts/standing.tsx'
import { Bars } from './bars.tsx'

const rowHeight = 52
const columns =
  'grid grid-cols-[1rem_minmax(0,1fr)_5.4rem] items-center gap-x-4 px-5 min-[640px]:grid-cols-[1rem_minmax(0,1fr)_5.4rem_minmax(5rem,7.5rem)_84px] min-[1180px]:grid-cols-[1rem_minmax(0,1fr)_5.4rem_minmax(6.5rem,10.5rem)_6.6rem_84px]'

interface Props {
  readonly rows: readonly EntryRowShape[]
  readonly openId: number | null
  readonly marks: ReadonlyMap<number, EntryRowShape>
  readonly hasMore: boolean
  readonly onMore: () => void
  readonly onOpen: (id: number) => void
  readonly onMark: (row: EntryRowShape, marked: boolean) => void
}

export function EntryTable({ rows, openId, marks, hasMore, onMore, onOpen, onMark }: Props) {
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
    <div className="grid h-full grid-rows-[auto_minmax(0,1fr)]">
      <div aria-hidden className={clsx(columns, 'border-b border-line-strong py-2 text-[0.9rem] text-ink-2')}>
        <span />
        <span>{t('senders.column.sender')}</span>
        <span>{t('senders.column.standing')}</span>
        <span className="max-[639px]:hidden">{t('senders.column.keptBy')}</span>
        <span className="max-[1179px]:hidden">{t('senders.column.matched')}</span>
        <span className="text-right max-[639px]:hidden">{t('senders.column.days')}</span>
      </div>
      <div
        ref={scroller}
        role="list"
        tabIndex={0}
        aria-label={t('senders.list')}
        className="overflow-y-auto bg-sheet outline-offset-[-2px]"
      >
        <div className="relative" style={{ height: virtual.getTotalSize() }}>
          {shown.map(({ index, key, start }) => {
            const row = rows[index]
            return (
              row && (
                <div key={key} role="listitem" className="absolute inset-x-0" style={{ top: start }}>
                  <Row
                    row={row}
                    chosen={row.id === openId}
                    marked={marks.has(row.id)}
                    onOpen={onOpen}
                    onMark={onMark}
                  />
                </div>
              )
            )
          })}
        </div>
      </div>
    </div>
  )
}

interface RowProps {
  readonly row: EntryRowShape
  readonly chosen: boolean
  readonly marked: boolean
  readonly onOpen: (id: number) => void
  readonly onMark: (row: EntryRowShape, marked: boolean) => void
}

const Row = memo(function Row({ row, chosen, marked, onOpen, onMark }: RowProps) {
  const { t } = useTranslation()
  const times = useTimes()
  const note = noteOf(row, t, times.day)
  return (
    <div
      data-row
      className={clsx(
        columns,
        'border-b border-l-4 border-b-line pl-4',
        chosen ? 'border-l-petrol bg-tint' : 'border-l-transparent hover:bg-raised',
      )}
      style={{ height: rowHeight }}
      onClick={() => onOpen(row.id)}
    >
      <span onClick={event => event.stopPropagation()}>
        <Checkbox
          checked={marked}
          label={t('senders.mark', { pattern: row.pattern })}
          onChange={value => onMark(row, value)}
        />
      </span>
      <button
        type="button"
        data-row
        aria-current={chosen}
        onClick={event => {
          event.stopPropagation()
          onOpen(row.id)
        }}
        className="min-w-0 text-left outline-offset-2"
      >
        <span
          className={clsx(
            'block truncate font-mono',
            row.endedAt !== null && 'line-through decoration-line-strong',
          )}
        >
          {row.pattern}
        </span>
        <span className={clsx('block truncate text-[0.88rem]', note.tone)}>{note.text}</span>
      </button>
      <Standing standing={row.standing} />
      <KeptBy row={row} />
      <span className="text-[0.95rem] text-ink-2 max-[1179px]:hidden">
        {row.lastMatchedAt === null ? t('senders.notYet') : times.short(row.lastMatchedAt)}
      </span>
      <span className="justify-self-end max-[639px]:hidden">
        <Bars days={row.days} />
      </span>
    </div>
  )
})

/** Whose it is, and how many more have the same. */
function KeptBy({ row: { mailboxId, keptBy, others } }: Pick<RowProps, 'row'>) {
  const { t } = useTranslation()
  return (
    <span className="min-w-0 truncate max-[639px]:hidden" title={keptBy}>
      {mailboxId === null ? t('senders.organisation') : keptBy}
      {others > 0 && (
        <span className="text-ink-2" title={t('senders.others', { count: others })}>
          {' '}
          +{others}
        </span>
      )}
    </span>
  )
}

/** The most that matters about an entry, in one line: what is wrong with it, else its conditions and reason. */
function noteOf(
  row: EntryRowShape,
  t: TFunction,
  day: (iso: string) => string,
): { text: string; tone: string } {
  if (row.endedAt !== null)
    return { text: t('senders.endedOn', { day: day(row.endedAt) }), tone: 'text-ink-2' }
  if (row.finding)
    return {
      text: t(
        `senders.rowFinding.${row.finding.kind}${row.finding.facts.why ? `.${row.finding.facts.why}` : ''}`,
        {
          ...row.finding.facts,
          count: Number(
            row.finding.facts.colleagues ?? row.finding.facts.harmful ?? row.finding.facts.days ?? 0,
          ),
        },
      ),
      tone: isGrave(row.finding.kind) ? 'font-semibold text-stop' : 'font-semibold text-amber',
    }
  const parts = [
    ...(row.pattern === row.patternText ? [] : [row.patternText]),
    ...(row.kind === 'address' || row.kind === 'domain' ? [] : [t(`senders.kindNote.${row.kind}`)]),
    ...(row.binding ? [t('senders.binding')] : []),
    ...(row.withoutAuthentication ? [t('senders.withoutAuthentication')] : []),
    ...(row.until === null
      ? []
      : [t('senders.untilNote', { day: day(new Date(Date.parse(row.until) - 1).toISOString()) })]),
    row.reason === '' ? t(`senders.origin.${row.origin}`, { day: day(row.createdAt) }) : row.reason,
  ]
  return { text: parts.join(' · '), tone: 'text-ink-2' }
}

const isGrave = (kind: string) => ['lets-in-too-much', 'let-harm-in'].includes(kind)
