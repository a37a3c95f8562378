import { queryKeyOf } from '../../app/query-keys.ts'
import { useState, type FormEvent } from 'react'
import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { changeOwnSenders, ownSenders, undoOwn, type OwnEntry } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useTimes } from '../../app/times.ts'
import { Button } from '../../parts/buttons.tsx'
import { StandingMark } from '../../parts/standing.tsx'
import { inputStyle, TextField } from '../../parts/field.tsx'
import { Failed, SkeletonRows } from '../../parts/states.tsx'
import { useProblemText } from './own-session.ts'
import { Allowed } from './allowed.tsx'
import { useOwnAct } from './use-own-act.ts'

interface Change {
  readonly add?: { readonly pattern: string; readonly standing: 'safe' | 'blocked' }
  readonly end?: OwnEntry
}

/** Adds or ends one entry, and offers to undo it. */
function useChange(onDone: () => void) {
  const { t } = useTranslation()
  const undoing = useOwnAct({
    send: (rulingId: number) => call(undoOwn, { params: { id: rulingId }, body: {} }),
    notice: () => ({ text: t('own.undone') }),
    makes: 'own-changed',
  })
  return useOwnAct({
    send: ({ add, end }: Change) =>
      call(changeOwnSenders, {
        body: { add: add ? [add] : [], end: end ? [end.id] : [], token: crypto.randomUUID() },
      }),
    notice: ({ rulingId }, { add, end }) => ({
      text: add
        ? t('own.list.added', { pattern: add.pattern })
        : t('own.list.ended', { pattern: end?.pattern ?? '' }),
      action: { label: t('own.undo'), run: () => undoing.mutate(rulingId) },
    }),
    makes: 'own-changed',
    onDone,
  })
}

export function OwnSenders() {
  const { t } = useTranslation()
  const problemText = useProblemText()
  const [pattern, setPattern] = useState('')
  const changing = useChange(() => setPattern(''))
  const list = useQuery({
    queryKey: queryKeyOf('own', 'senders'),
    queryFn: ({ signal }) => call(ownSenders, { signal }),
  })
  const propose = (standing: 'safe' | 'blocked') => {
    if (pattern.trim() !== '') changing.mutate({ add: { pattern: pattern.trim(), standing } })
  }
  const submit = (event: FormEvent) => {
    event.preventDefault()
    propose('safe')
  }
  return (
    <>
      <h1 className="font-serif text-[1.35rem] font-semibold">{t('own.senders')}</h1>
      <Allowed part="senders">
        <form onSubmit={submit} className="mt-3 rounded-lg border border-line bg-sheet p-4">
          <TextField
            label={t('own.list.pattern')}
            help={t('own.list.hint')}
            value={pattern}
            onChange={event => setPattern(event.target.value)}
            autoCapitalize="none"
            spellCheck={false}
            look={`${inputStyle} font-mono`}
          />
          <p className="mt-3 flex flex-wrap gap-2">
            <Button type="submit" kind="main" disabled={changing.isPending}>
              {t('own.list.trust')}
            </Button>
            <Button disabled={changing.isPending} onClick={() => propose('blocked')}>
              {t('own.list.refuse')}
            </Button>
          </p>
        </form>
        {list.isPending && <SkeletonRows count={4} />}
        {list.error && !list.data && (
          <Failed say={problemText} error={list.error} onAgain={() => void list.refetch()} />
        )}
        {list.data &&
          (['safe', 'blocked'] as const).map(standing => (
            <Entries
              key={standing}
              standing={standing}
              entries={list.data.entries.filter(entry => entry.standing === standing)}
              onEnd={entry => changing.mutate({ end: entry })}
            />
          ))}
      </Allowed>
    </>
  )
}

function Entries({
  standing,
  entries,
  onEnd,
}: {
  standing: 'safe' | 'blocked'
  entries: readonly OwnEntry[]
  onEnd: (entry: OwnEntry) => void
}) {
  const { t } = useTranslation()
  const times = useTimes()
  return (
    <section className="mt-5">
      <h2 className="flex items-center gap-2 font-bold">
        <StandingMark standing={standing} />
        {t(`own.list.${standing}`)}
      </h2>
      {entries.length === 0 && <p className="text-ink-2">{t('own.list.none')}</p>}
      <ul className="mt-1 rounded-lg border border-line bg-sheet empty:hidden">
        {entries.map(entry => (
          <li
            key={entry.id}
            className="flex items-center justify-between gap-3 border-b border-line px-3 py-2 last:border-b-0"
          >
            <span className="min-w-0">
              <span className="font-mono break-all">{entry.pattern}</span>{' '}
              <span className="text-[0.92rem] text-ink-2">
                {[
                  ...(entry.mailbox === '' ? [] : [t('own.for', { mailbox: entry.mailbox })]),
                  ...(entry.until === null ? [] : [t('own.list.until', { date: times.day(entry.until) })]),
                  ...(entry.lastMatchedAt === null
                    ? []
                    : [t('own.list.matched', { time: times.short(entry.lastMatchedAt) })]),
                ].join(' · ')}
              </span>
              {entry.overruledBy !== '' && (
                <span className="block text-[0.92rem] text-amber">
                  {t('own.list.overruled', { pattern: entry.overruledBy })}
                </span>
              )}
            </span>
            <button
              type="button"
              aria-label={t('own.list.endLabel', { pattern: entry.pattern })}
              className="min-h-8 shrink-0 border-b border-current text-petrol"
              onClick={() => onEnd(entry)}
            >
              {t('own.list.end')}
            </button>
          </li>
        ))}
      </ul>
    </section>
  )
}
