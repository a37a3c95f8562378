import { useRef, useState } from 'react'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import { bringInMailboxes, changeMailboxes, syncDirectory, type DirectoryOutcome } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useAct } from '../../app/use-act.ts'
import { AreaPage } from '../../parts/area-page.tsx'
import { Button } from '../../parts/buttons.tsx'
import { Card } from '../../parts/card.tsx'
import { Checkbox } from '../../parts/checkbox.tsx'
import { EntryForm, type Line } from './entry-form.tsx'
import { Outcome } from './outcome.tsx'
import { useDirectoryNotice } from './use-directory.ts'

/** Mailboxes come: one by one, by a table, or from the directory. */
export function AddPage() {
  const { t } = useTranslation()
  return (
    <AreaPage heading="h2" title={t('directory.title')} lead={t('directory.lead')}>
      <div className="grid items-start gap-3 min-[1180px]:grid-cols-[minmax(0,2fr)_minmax(0,3fr)]">
        <One />
        <div className="grid min-w-0 gap-3">
          <Table />
          <Directory />
        </div>
      </div>
    </AreaPage>
  )
}

function One() {
  const { t } = useTranslation()
  const told = useDirectoryNotice()
  const [serial, setSerial] = useState(0)
  const adding = useAct({
    send: (line: Line) =>
      call(changeMailboxes, { body: { lines: [line], reason: '', token: crypto.randomUUID() } }),
    notice: ({ act }) => told(t('directory.who.added'), act),
    onDone: () => setSerial(serial + 1),
    makes: 'mailbox-changed',
  })
  return (
    <Card title={t('directory.one.title')}>
      <EntryForm
        key={serial}
        go={t('directory.one.go')}
        busy={adding.isPending}
        onSend={line => adding.mutate(line)}
      />
    </Card>
  )
}

/** What an act came to, told with its undo. */
function useTaken() {
  const { t } = useTranslation()
  const told = useDirectoryNotice()
  return ({ add, change, reopen, close, act }: DirectoryOutcome) =>
    told(t('directory.outcome.done', { added: add, changed: change + reopen, closed: close }), act)
}

/** What it would come to, and the way to take it over; what is closed is confirmed. */
function Seen({ outcome, busy, onTake }: { outcome: DirectoryOutcome; busy: boolean; onTake: () => void }) {
  const { t } = useTranslation()
  const [isSure, setSure] = useState(false)
  const closes = outcome.close > 0
  return (
    <>
      <Outcome outcome={outcome} />
      {closes && (
        <label className="mt-3 flex items-center gap-2">
          <Checkbox checked={isSure} label={t('directory.sync.closes')} onChange={setSure} />
          {t('directory.sync.closes')}
        </label>
      )}
      <Button
        kind="main"
        className="mt-3"
        disabled={busy || !isAnything(outcome) || (closes && !isSure)}
        onClick={onTake}
      >
        {t('directory.table.take')}
      </Button>
    </>
  )
}

const isAnything = ({ add, change, reopen, close }: DirectoryOutcome) => add + change + reopen + close > 0

/** A table that is looked at first and then taken over. */
function useTable() {
  const taken = useTaken()
  const [file, setFile] = useState<File | null>(null)
  const input = useRef<HTMLInputElement>(null)
  const [closes, setCloses] = useState(false)
  const [seen, setSeen] = useState<DirectoryOutcome | null>(null)
  const missing = closes ? ('close' as const) : ('stay' as const)
  const looking = useAct({
    send: (given: { file: File; missing: 'stay' | 'close' }) =>
      call(bringInMailboxes, { query: { act: 'look', missing: given.missing }, body: given.file }),
    onDone: setSeen,
  })
  const taking = useAct({
    send: (given: File) =>
      call(bringInMailboxes, {
        query: { act: 'take', missing, name: given.name.slice(0, 200), token: crypto.randomUUID() },
        body: given,
      }),
    notice: taken,
    onDone: () => {
      setFile(null)
      setSeen(null)
      if (input.current) input.current.value = ''
    },
    makes: 'mailbox-changed',
  })
  const look = (next: File | null, close: boolean) => {
    setFile(next)
    setCloses(close)
    setSeen(null)
    if (next) looking.mutate({ file: next, missing: close ? 'close' : 'stay' })
  }
  return { input, closes, file, seen, looking, taking, look }
}

function Table() {
  const { t } = useTranslation()
  const { input, closes, file, seen, looking, taking, look } = useTable()
  return (
    <Card title={t('directory.table.title')}>
      <p className="text-ink-2">{t('directory.table.text')}</p>
      <label className="mt-3 block">
        <span className="mb-1 block font-semibold">{t('directory.table.file')}</span>
        <input
          ref={input}
          type="file"
          accept=".csv,.tsv,.txt,text/*"
          onChange={event => look(event.target.files?.[0] ?? null, closes)}
        />
      </label>
      <label className="mt-2 flex items-center gap-2">
        <Checkbox checked={closes} label={t('directory.table.missing')} onChange={on => look(file, on)} />
        {t('directory.table.missing')}
      </label>
      {looking.isPending && (
        <p aria-live="polite" className="mt-2 text-ink-2">
          {t('directory.table.looking')}
        </p>
      )}
      {seen && file && <Seen outcome={seen} busy={taking.isPending} onTake={() => taking.mutate(file)} />}
    </Card>
  )
}

function Directory() {
  const { t } = useTranslation()
  const taken = useTaken()
  const [seen, setSeen] = useState<DirectoryOutcome | null>(null)
  const looking = useAct({
    send: () => call(syncDirectory, { body: { act: 'look' } }),
    onDone: setSeen,
  })
  const taking = useAct({
    send: (closes: number) =>
      call(syncDirectory, { body: { act: 'take', closes, token: crypto.randomUUID() } }),
    notice: taken,
    onDone: () => setSeen(null),
    makes: 'mailbox-changed',
  })
  return (
    <Card
      title={t('directory.sync.title')}
      more={
        <Link to="/organisation" className="border-b border-current text-petrol">
          {t('directory.sync.set')}
        </Link>
      }
    >
      <p className="text-ink-2">{t('directory.sync.text')}</p>
      <p className="mt-3">
        <Button disabled={looking.isPending} onClick={() => looking.mutate()}>
          {t('directory.sync.look')}
        </Button>
      </p>
      {looking.isPending && (
        <p aria-live="polite" className="mt-2 text-ink-2">
          {t('directory.sync.looking')}
        </p>
      )}
      {seen && <Seen outcome={seen} busy={taking.isPending} onTake={() => taking.mutate(seen.close)} />}
    </Card>
  )
}
