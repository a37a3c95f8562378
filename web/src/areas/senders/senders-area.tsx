import { useAct } from '../../app/use-act.ts'
import { download } from '../../app/api.ts'
import { useCallback, useEffect, useMemo, useState } from 'react'
import type { EntryDraft, Session } from '@pendro/contract'
import { DropdownMenu } from 'radix-ui'
import { useTranslation } from 'react-i18next'
import { useLocation, useNavigate, useParams, useSearchParams } from 'react-router'
import { useKeys } from '../../app/keys.ts'
import { mayWrite, useSession, maySteer, looksAfterAll } from '../../app/session.ts'
import { Button, KeyCap } from '../../parts/buttons.tsx'
import { Boundary } from '../../parts/boundary.tsx'
import { FirstSteps } from '../../parts/first-steps.tsx'
import { Empty, Failed, SkeletonRows } from '../../parts/states.tsx'
import { giveFocusBack } from '../../parts/focus.ts'
import { AccuracyView } from './accuracy-view.tsx'
import { DraftBar } from './draft-bar.tsx'
import { useDraft } from './draft-store.ts'
import { EntryTable } from './entry-table.tsx'
import { EntryView } from './entry-view.tsx'
import { FilterSentence } from './filter-sentence.tsx'
import { FindingsView } from './findings-view.tsx'
import { useSendersAddress, usualFilter, type Filter } from './filter.ts'
import { QuestionBar } from './question-bar.tsx'
import { RequestsView } from './requests-view.tsx'
import { UpkeepPanel } from './upkeep-panel.tsx'
import { useEntryRows, useEntrySheet, useListActs, useSenderCounts, useSendersLive } from './use-senders.ts'
import { TwoPanes } from '../../parts/two-panes.tsx'

export function SendersArea() {
  const { t } = useTranslation()
  const { id } = useParams()
  const { search } = useLocation()
  const openId = id !== undefined && /^\d{1,10}$/.test(id) ? Number(id) : null
  const { filter, change, panel, open, ask } = useSendersAddress()
  const list = useEntryRows(filter)
  const counts = useSenderCounts(filter)
  const sheet = useEntrySheet(openId)
  const rows = useMemo(() => list.data?.pages.flatMap(page => page.rows) ?? [], [list.data])
  const { act, marks, begin } = useDraft()
  const session = useSession()
  const onOpen = useCallback((entry: number) => open({ entry }), [open])
  /** How often the keyboard was sent to upkeep. */
  const [asked, setAsked] = useState(0)
  useDraftOfAddress()
  useSendersLive()
  useListKeys(rows, openId, onOpen, sheet.data?.row)
  useKeys(
    useMemo(
      () => ({
        r: () => open({ panel: 'requests' }),
        p: () => {
          open({})
          setAsked(times => times + 1)
        },
      }),
      [open],
    ),
    act === null,
  )
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)] grid-rows-[auto_minmax(0,1fr)_auto] max-[899px]:grid-rows-[auto_auto_auto] max-[899px]:overflow-y-auto">
      <h1 className="sr-only">{t('areas.senders')}</h1>
      <section
        aria-label={t('senders.filter.label')}
        className="grid items-start gap-x-8 gap-y-2 border-b border-line-strong px-5 pt-3 pb-2 min-[1080px]:grid-cols-[minmax(0,1fr)_auto]"
      >
        <FilterSentence filter={filter} change={change} counts={counts.data} />
        <InAndOut filter={filter} />
      </section>
      <TwoPanes
        columns="min-[900px]:grid-cols-[minmax(0,1fr)_minmax(18rem,27.5rem)]"
        stacked
        isOpen={openId !== null || panel !== null}
        back={`/senders${search}`}
        list={
          <List
            list={list}
            rows={rows}
            openId={openId}
            onOpen={onOpen}
            filter={filter}
            onAll={() => change({ ...usualFilter, mailbox: undefined, find: undefined })}
          />
        }
        detail={
          <Boundary of={`${openId ?? ''} ${panel ?? ''}`}>
            <Beside openId={openId} panel={panel} open={open} asked={asked} />
          </Boundary>
        }
      />
      {act ? (
        <DraftBar key={act.kind + ('of' in act ? act.of.id : '')} act={act} />
      ) : marks.size > 0 ? (
        <Marked />
      ) : (
        <QuestionBar
          from={ask || questionFrom(sheet.data?.row.patternText)}
          mailbox={sheet.data?.row.mailboxId ?? undefined}
          onAdd={() => begin({ kind: 'add' }, firstDraft(session))}
        />
      )}
    </div>
  )
}

/** `?new=blocked&pattern=…` begins an entry, where another area has found that it would do; once, and then the address is plain again. */
function useDraftOfAddress() {
  const [search, setSearch] = useSearchParams()
  const begin = useDraft(state => state.begin)
  const session = useSession()
  const [standing, pattern] = [search.get('new'), search.get('pattern')]
  useEffect(() => {
    if (pattern === null || (standing !== 'safe' && standing !== 'blocked') || !mayWrite(session)) return
    begin({ kind: 'add' }, { ...firstDraft(session), standing, pattern: pattern.slice(0, 400) })
    setSearch(
      now => {
        now.delete('new')
        now.delete('pattern')
        return now
      },
      { replace: true },
    )
  }, [standing, pattern, begin, session, setSearch])
}

/** Whoever may not add for all begins with one colleague, to be chosen. */
const firstDraft = (session: Session): Partial<EntryDraft> => (maySteer(session) ? {} : { mailboxId: 0 })

type Address = ReturnType<typeof useSendersAddress>

/** Beside the list: the open entry, a panel of upkeep, or what upkeep has found. */
function Beside({
  openId,
  panel,
  open,
  asked,
}: Pick<Address, 'panel' | 'open'> & { openId: number | null; asked: number }) {
  const close = () => open({})
  const isWhole = looksAfterAll(useSession())
  if (openId !== null)
    return <EntryView key={openId} id={openId} onClose={close} onPanel={next => open({ panel: next })} />
  // What upkeep finds is about the lists of all.
  if (panel === 'requests' || !isWhole) return <RequestsView onClose={close} />
  if (panel === 'accuracy') return <AccuracyView onClose={close} />
  if (panel !== null) return <FindingsView key={panel} kind={panel} onClose={close} />
  return <UpkeepPanel key={asked} takesFocus={asked > 0} onOpen={next => open({ panel: next })} />
}

interface ListProps extends Pick<Address, 'filter'> {
  readonly list: ReturnType<typeof useEntryRows>
  readonly rows: readonly Row[]
  readonly openId: number | null
  readonly onOpen: (id: number) => void
  readonly onAll: () => void
}

function List({ list, rows, openId, onOpen, filter, onAll }: ListProps) {
  const { marks, mark } = useDraft()
  return list.isPending ? (
    <SkeletonRows count={10} height={52} />
  ) : list.error && !list.data ? (
    <Failed error={list.error} onAgain={() => void list.refetch()} />
  ) : rows.length === 0 ? (
    <Nothing filter={filter} onAll={onAll} />
  ) : (
    <EntryTable
      rows={rows}
      openId={openId}
      marks={marks}
      hasMore={list.hasNextPage && !list.isFetchingNextPage}
      onMore={() => void list.fetchNextPage()}
      onOpen={onOpen}
      onMark={mark}
    />
  )
}

/** The open entry is what one would ask about; of a wildcard, its domain. */
const questionFrom = (pattern = '') => (pattern.startsWith('<') ? '' : pattern.replace(/^\*\./, ''))

type Row = NonNullable<ReturnType<typeof useEntrySheet>['data']>['row']

function useListKeys(
  rows: readonly Row[],
  openId: number | null,
  onOpen: (id: number) => void,
  open: Row | undefined,
): void {
  const session = useSession()
  const { act, marks, mark, begin, unmark, lastRuling } = useDraft()
  const { undo } = useListActs()
  useKeys(
    useMemo(() => {
      const at = rows.findIndex(({ id }) => id === openId)
      const go = (by: number) => () => {
        const next = rows[Math.min(rows.length - 1, Math.max(0, at + by))]
        if (next) onOpen(next.id)
      }
      const moves = { j: go(1), k: go(-1), ArrowDown: go(1), ArrowUp: go(-1) }
      if (!mayWrite(session) || act) return moves
      const row = rows[at] ?? open
      return {
        ...moves,
        a: () => begin({ kind: 'add' }, firstDraft(session)),
        ...(row
          ? {
              x: () => mark(row, !marks.has(row.id)),
              e: () => begin({ kind: 'end', entries: marks.size > 0 ? [...marks.values()] : [row] }),
              c: () => begin({ kind: 'change', of: row }),
            }
          : {}),
        ...(marks.size > 0 ? { Escape: unmark } : {}),
        ...(lastRuling === null ? {} : { u: () => void undo(lastRuling) }),
      }
    }, [rows, openId, onOpen, session, act, open, marks, mark, begin, unmark, lastRuling, undo]),
  )
}

function InAndOut({ filter }: { filter: Filter }) {
  const { t } = useTranslation()
  const session = useSession()
  const navigate = useNavigate()
  const saving = useAct({ send: download })
  const search = new URLSearchParams()
  for (const [name, value] of Object.entries(filter))
    if (value !== undefined && name !== 'order') search.set(name, String(value))
  return (
    <div className="flex gap-2.5">
      {mayWrite(session) && looksAfterAll(session) && (
        <Button onClick={() => void navigate('/senders/bring-in')}>{t('senders.bringIn.button')}</Button>
      )}
      <DropdownMenu.Root>
        <DropdownMenu.Trigger asChild>
          <Button>{t('senders.export.button')}</Button>
        </DropdownMenu.Trigger>
        <DropdownMenu.Portal>
          <DropdownMenu.Content
            onCloseAutoFocus={giveFocusBack}
            align="end"
            sideOffset={4}
            className="z-40 w-80 rounded-md border border-line-strong bg-raised p-1 text-ink shadow-[0_6px_24px_rgb(30_42_48/.16)]"
          >
            {(['text', 'csv', 'json', 'sieve'] as const).map(format => (
              <DropdownMenu.Item
                key={format}
                onSelect={() => saving.mutate(`/api/senders/export?${search}&format=${format}`)}
                className="block rounded-sm px-3 py-1.5 outline-none data-highlighted:bg-tint"
              >
                <span className="block font-semibold">{t(`senders.bringIn.format.${format}`)}</span>
                <span className="block text-[0.9em] text-ink-2">{t(`senders.export.hint.${format}`)}</span>
              </DropdownMenu.Item>
            ))}
          </DropdownMenu.Content>
        </DropdownMenu.Portal>
      </DropdownMenu.Root>
    </div>
  )
}

/** Several entries are marked: what can be done with all of them. */
function Marked() {
  const { t } = useTranslation()
  const { marks, begin, unmark } = useDraft()
  return (
    <footer
      aria-label={t('senders.marked.label')}
      className="flex items-center gap-3 border-t-2 border-petrol bg-raised px-5 py-3 text-[1.1rem]"
    >
      <span className="flex-1">{t('senders.marked.text', { count: marks.size })}</span>
      <Button kind="main" onClick={() => begin({ kind: 'end', entries: [...marks.values()] })}>
        {t('senders.marked.end', { count: marks.size })} <KeyCap>E</KeyCap>
      </Button>
      <Button onClick={unmark}>
        {t('senders.marked.unmark')} <KeyCap>Esc</KeyCap>
      </Button>
    </footer>
  )
}

function Nothing({ filter, onAll }: { filter: Filter; onAll: () => void }) {
  const { t } = useTranslation()
  const isUsual = JSON.stringify({ ...filter, order: usualFilter.order }) === JSON.stringify(usualFilter)
  return (
    <Empty title={t(isUsual ? 'senders.empty' : 'senders.noneFits')}>
      <p>{t(isUsual ? 'senders.emptyText' : 'senders.noneFitsText')}</p>
      <FirstSteps className="mt-2" />
      {!isUsual && (
        <Button className="mt-3" onClick={onAll}>
          {t('senders.showAll')}
        </Button>
      )}
    </Empty>
  )
}
