import { queryKeyOf } from '../../app/query-keys.ts'
import { useState, type DragEvent } from 'react'
import { useInfiniteQuery, useQuery, useQueryClient } from '@tanstack/react-query'
import { clsx } from 'clsx'
import type { TFunction } from 'i18next'
import { useTranslation } from 'react-i18next'
import { useNavigate, useParams } from 'react-router'
import {
  beginImport,
  importLines,
  importProgress,
  takeImport,
  undoRuling,
  type ImportStatus,
  type LineOutcome,
  type Said,
} from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useNotices } from '../../app/notices.ts'
import { useSession, maySteer } from '../../app/session.ts'
import { useAct } from '../../app/use-act.ts'
import { useNumbers } from '../../app/times.ts'
import { Button } from '../../parts/buttons.tsx'
import { Checkbox } from '../../parts/checkbox.tsx'
import { MailboxSlot } from '../../parts/mailbox-slot.tsx'
import { ReachView } from '../../parts/reach.tsx'
import { SentenceSlot } from '../../parts/sentence-slot.tsx'
import { Sentence } from '../../parts/sentence.tsx'
import { StandingMark } from '../../parts/standing.tsx'
import { Failed } from '../../parts/states.tsx'

const outcomes = ['added', 'there', 'covered', 'contradicts', 'refused'] as const
const mostBytes = 10_000_000

/** Bringing in a list: a file, what becomes of each line, and then all of it at once. */
export function BringIn() {
  const { id } = useParams()
  return (
    <div className="h-full overflow-y-auto" tabIndex={0}>
      <div className="mx-auto max-w-5xl px-6 py-6">
        {id === undefined ? <ChooseFile /> : <Import key={id} id={Number(id)} />}
      </div>
    </div>
  )
}

interface Goes {
  readonly standing: 'safe' | 'blocked'
  readonly owner: 'everybody' | 'colleague'
  readonly mailbox: number | undefined
}

function ChooseFile() {
  const { t } = useTranslation()
  const session = useSession()
  const navigate = useNavigate()
  const show = useNotices(state => state.show)
  const [goes, setGoes] = useState<Goes>({
    standing: 'safe',
    owner: maySteer(session) ? 'everybody' : 'colleague',
    mailbox: undefined,
  })
  const [takeContradicting, setTakeContradicting] = useState(false)
  const { standing, owner, mailbox } = goes
  const bringing = useAct({
    send: (file: File) =>
      call(beginImport, {
        body: file,
        query: {
          name: file.name.slice(0, 200),
          standing,
          list: owner === 'everybody' || mailbox === undefined ? 'everybody' : mailbox,
          takeContradicting: takeContradicting ? 'yes' : 'no',
        },
      }),
    onDone: ({ id }) => void navigate(`/senders/bring-in/${id}`),
  })
  const take = (file: File | undefined) => {
    if (!file) return
    if (file.size > mostBytes)
      show({ tone: 'problem', text: t('senders.bringIn.tooLarge', { name: file.name }) })
    else bringing.mutate(file)
  }
  return (
    <>
      <h1 className="font-serif text-[1.5rem] font-semibold">{t('senders.bringIn.title')}</h1>
      <p className="mt-1 max-w-2xl text-ink-2">{t('senders.bringIn.text')}</p>
      <p className="mt-4 text-[1.14rem] leading-[2.05rem]">
        <GoesSentence goes={goes} onChange={setGoes} />
      </p>
      <label className="mt-1 flex items-center gap-2">
        <Checkbox
          checked={takeContradicting}
          label={t('senders.bringIn.takeContradicting')}
          onChange={setTakeContradicting}
        />
        {t('senders.bringIn.takeContradicting')}
      </label>
      <Drop
        ready={owner === 'everybody' || mailbox !== undefined}
        sending={bringing.isPending}
        onFile={take}
      />
    </>
  )
}

/** What the list's entries are to be, and whose. */
function GoesSentence({ goes, onChange }: { goes: Goes; onChange: (goes: Goes) => void }) {
  const { t } = useTranslation()
  const session = useSession()
  const { standing, owner, mailbox } = goes
  return (
    <Sentence
      text={t('senders.bringIn.sentence')}
      slots={{
        standing: (
          <SentenceSlot
            label={t('senders.draft.standingLabel')}
            text={t(`standing.${standing}`)}
            tone={standing}
            value={standing}
            options={(['safe', 'blocked'] as const).map(value => ({
              value,
              text: t(`standing.${value}`),
            }))}
            onPick={value => onChange({ ...goes, standing: value })}
          />
        ),
        owner: (
          <>
            <SentenceSlot
              label={t('senders.draft.ownerLabel')}
              text={t(`senders.draft.${owner}`)}
              value={owner}
              options={[
                {
                  value: 'everybody',
                  text: t('senders.draft.everybody'),
                  disabled: !maySteer(session),
                },
                { value: 'colleague', text: t('senders.draft.colleague') },
              ]}
              onPick={value => onChange({ ...goes, owner: value })}
            />
            {owner === 'colleague' && (
              <>
                {' '}
                <MailboxSlot
                  mailbox={mailbox}
                  onPick={value => onChange({ ...goes, mailbox: value })}
                  nobody={t('senders.draft.whom')}
                  label={t('senders.draft.whomLabel')}
                />
              </>
            )}
          </>
        ),
      }}
    />
  )
}

interface DropProps {
  /** It is said whose entries they will be. */
  readonly ready: boolean
  readonly sending: boolean
  readonly onFile: (file: File | undefined) => void
}

/** Where a file is dropped or chosen. */
function Drop({ ready, sending, onFile }: DropProps) {
  const { t } = useTranslation()
  const [over, setOver] = useState(false)
  return (
    <label
      onDragOver={(event: DragEvent) => {
        event.preventDefault()
        setOver(true)
      }}
      onDragLeave={() => setOver(false)}
      onDrop={(event: DragEvent) => {
        event.preventDefault()
        setOver(false)
        if (ready) onFile(event.dataTransfer.files[0])
      }}
      className={clsx(
        'mt-4 grid place-items-center gap-2 rounded-lg border-2 border-dashed px-6 py-10 text-center focus-within:border-petrol',
        over ? 'border-petrol bg-tint' : 'border-line-strong bg-sheet',
        !ready && 'opacity-60',
      )}
    >
      <span className="font-semibold">
        {t(ready ? 'senders.bringIn.drop' : 'senders.bringIn.chooseFirst')}
      </span>
      <span className="text-ink-2">{t('senders.bringIn.formats')}</span>
      <input
        type="file"
        disabled={!ready || sending}
        aria-label={t('senders.bringIn.file')}
        accept=".txt,.csv,.tsv,.json,.vcf,.sieve,text/*"
        onChange={event => onFile(event.target.files?.[0])}
        className="mt-1"
      />
      {sending && <span aria-live="polite">{t('senders.bringIn.sending')}</span>}
    </label>
  )
}

function Import({ id }: { id: number }) {
  const { t } = useTranslation()
  const { number } = useNumbers()
  const navigate = useNavigate()
  const [outcome, setOutcome] = useState<LineOutcome | null>(null)
  const status = useQuery({
    queryKey: queryKeyOf('import', id),
    queryFn: ({ signal }) => call(importProgress, { params: { id }, signal }),
    refetchInterval: query => (['reading', 'taking'].includes(query.state.data?.state ?? '') ? 500 : false),
  })
  const { data } = status
  if (status.error) return <Failed error={status.error} onAgain={() => void status.refetch()} />
  if (!data) return <p className="skeleton h-24" />
  const chosen = outcome ?? [...outcomes].reverse().find(one => (data.counts[one] ?? 0) > 0) ?? 'added'
  return (
    <>
      <h1 className="font-serif text-[1.5rem] font-semibold">{data.name}</h1>
      <p className="text-ink-2" aria-live="polite">
        {t(`senders.bringIn.state.${data.state}`, {
          done: number(data.done),
          total: number(data.total),
          format: t(`senders.bringIn.format.${data.format}`),
        })}
      </p>
      {(data.state === 'reading' || data.state === 'taking') && (
        <progress
          className="mt-3 h-2 w-full accent-petrol"
          value={data.total === 0 ? undefined : data.done}
          max={Math.max(1, data.total)}
          aria-label={t('senders.bringIn.progress')}
        />
      )}
      {data.state === 'failed' && (
        <div role="alert" className="mt-4 rounded-lg border border-stop/40 bg-sheet px-5 py-4">
          <p className="font-semibold text-stop">{t('senders.bringIn.failed')}</p>
          <p className="mt-1">{data.problem && t(`listFile.${data.problem.code}`, data.problem.facts)}</p>
          <Button className="mt-3" onClick={() => void navigate('/senders/bring-in')}>
            {t('senders.bringIn.another')}
          </Button>
        </div>
      )}
      {data.state !== 'reading' && data.state !== 'failed' && (
        <>
          <Outcomes status={data} chosen={chosen} onChoose={setOutcome} />
          <Lines id={id} outcome={chosen} key={chosen} />
          <Take status={data} />
        </>
      )}
    </>
  )
}

function Outcomes({
  status,
  chosen,
  onChoose,
}: {
  status: ImportStatus
  chosen: LineOutcome
  onChoose: (outcome: LineOutcome) => void
}) {
  const { t } = useTranslation()
  const { number } = useNumbers()
  return (
    <div role="group" aria-label={t('senders.bringIn.outcomes')} className="mt-4 flex flex-wrap gap-2">
      {outcomes.map(outcome => (
        <button
          key={outcome}
          type="button"
          aria-pressed={outcome === chosen}
          onClick={() => onChoose(outcome)}
          className={clsx(
            'rounded-md border px-3 py-1.5 text-left',
            outcome === chosen ? 'border-petrol bg-tint' : 'border-line-strong bg-raised',
          )}
        >
          <b className="font-serif text-[1.2rem]">{number(status.counts[outcome] ?? 0)}</b>{' '}
          {t(`senders.bringIn.outcome.${outcome}`, { count: status.counts[outcome] ?? 0 })}
        </button>
      ))}
    </div>
  )
}

function Lines({ id, outcome }: { id: number; outcome: LineOutcome }) {
  const { t } = useTranslation()
  const list = useInfiniteQuery({
    queryKey: queryKeyOf('import', id, 'lines', outcome),
    initialPageParam: 0,
    queryFn: ({ pageParam, signal }) =>
      call(importLines, { params: { id }, query: { outcome, from: pageParam, limit: 100 }, signal }),
    getNextPageParam: (page, pages) => (page.lines.length === 100 ? pages.length * 100 : undefined),
  })
  const lines = list.data?.pages.flatMap(page => page.lines) ?? []
  return (
    <div
      className="mt-3 max-h-[46vh] overflow-y-auto rounded-md border border-line-strong bg-sheet"
      tabIndex={0}
      role="region"
      aria-label={t('senders.bringIn.lines')}
    >
      {list.data && lines.length === 0 && (
        <p className="px-4 py-3 text-ink-2">{t('senders.bringIn.noLines')}</p>
      )}
      <ol>
        {lines.map(line => (
          <li
            key={`${line.line}.${line.part}`}
            className="grid grid-cols-[3.5rem_minmax(0,1.1fr)_minmax(0,1fr)] items-baseline gap-3 border-b border-line px-4 py-1.5"
          >
            <span className="text-right text-[0.92rem] text-ink-2">{line.line}</span>
            <span className="min-w-0">
              <span className="flex items-baseline gap-1.5">
                {line.standing && <StandingMark standing={line.standing} />}
                <span className="truncate font-mono">{line.pattern || line.typed}</span>
              </span>
              {line.pattern !== '' && line.typed !== line.pattern && (
                <span className="block truncate text-[0.88rem] text-ink-2">{line.typed}</span>
              )}
            </span>
            <span className="text-[0.93rem] text-ink-2">{line.why && sayLine(line.why, t)}</span>
          </li>
        ))}
      </ol>
      {list.hasNextPage && (
        <p className="py-2 text-center">
          <Button disabled={list.isFetchingNextPage} onClick={() => void list.fetchNextPage()}>
            {t('senders.finding.more')}
          </Button>
        </p>
      )}
    </div>
  )
}

/** Most reasons are of lines; what is wrong with a pattern is said as everywhere else. */
const sayLine = ({ code, facts }: Said, t: TFunction) => t([`listLine.${code}`, `pattern.${code}`], facts)

function Take({ status }: { status: ImportStatus }) {
  const { t } = useTranslation()
  const client = useQueryClient()
  const navigate = useNavigate()
  const [reason, setReason] = useState('')
  const taking = useAct({
    send: () => call(takeImport, { params: { id: status.id }, body: { reason } }),
    onDone: data => void client.setQueryData(queryKeyOf('import', status.id), data),
  })
  const undoing = useAct({
    send: () => call(undoRuling, { params: { id: status.rulingId ?? 0 } }),
    notice: () => ({ text: t('ruling.undone') }),
    makes: 'undone-from-afar',
    onDone: () => void navigate('/senders'),
  })
  const added = status.counts.added ?? 0
  if (status.state === 'taken')
    return (
      <p className="mt-4 flex items-center gap-3">
        <Button kind="main" onClick={() => void navigate('/senders?order=newest')}>
          {t('senders.bringIn.look')}
        </Button>
        <Button disabled={undoing.isPending} onClick={() => undoing.mutate()}>
          {t('senders.bringIn.undo')}
        </Button>
      </p>
    )
  return (
    <div className="mt-4 border-t border-line-strong pt-3">
      {status.reach && <ReachView reach={status.reach} listed />}
      <p className="mt-2 flex items-center gap-2">
        <input
          value={reason}
          maxLength={1000}
          onChange={event => setReason(event.target.value)}
          aria-label={t('senders.remedy.reason')}
          placeholder={t('senders.remedy.reason')}
          className="min-w-0 flex-1 rounded-sm border border-line-strong bg-raised px-2 py-1.5"
        />
        <Button
          kind="main"
          disabled={added === 0 || status.state !== 'ready' || taking.isPending}
          onClick={() => taking.mutate()}
        >
          {t('senders.bringIn.take', { count: added })}
        </Button>
        <Button onClick={() => void navigate('/senders')}>{t('senders.bringIn.leave')}</Button>
      </p>
    </div>
  )
}
