import { useState } from 'react'
import { ColleagueLink } from '../../parts/colleague-link.tsx'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import { askForEveryone, type EntrySheet } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { mayWrite, useSession, maySteer } from '../../app/session.ts'
import { useNumbers, useTimes } from '../../app/times.ts'
import { Button, KeyCap } from '../../parts/buttons.tsx'
import { Standing } from '../../parts/standing.tsx'
import { Failed } from '../../parts/states.tsx'
import { Sentence } from '../../parts/sentence.tsx'
import { useDraft } from './draft-store.ts'
import type { Panel } from './filter.ts'
import { SidePanel } from './side-panel.tsx'
import { useEntrySheet } from './use-senders.ts'
import { useAct } from '../../app/use-act.ts'

/** One entry: what it says and why, what it did, who keeps the same, and its history. */
export function EntryView({
  id,
  onClose,
  onPanel,
}: {
  id: number
  onClose: () => void
  onPanel: (panel: Panel) => void
}) {
  const { t } = useTranslation()
  const { data, error, refetch } = useEntrySheet(id)
  if (error && !data)
    return (
      <SidePanel title={t('senders.sheet.title')} onClose={onClose}>
        <Failed error={error} onAgain={() => void refetch()} />
      </SidePanel>
    )
  if (!data)
    return (
      <SidePanel title="…" onClose={onClose}>
        <p className="skeleton h-40" />
      </SidePanel>
    )
  return (
    <SidePanel title={data.row.pattern} mono onClose={onClose}>
      <Says sheet={data} />
      {data.row.finding && (
        <p className="mt-2 rounded-md bg-amber-tint px-3 py-2 text-amber">
          {t(`senders.upkeep.about.${data.row.finding.kind}`)}{' '}
          <Button kind="link" className="text-amber!" onClick={() => onPanel(data.row.finding?.kind ?? null)}>
            {t('senders.sheet.toFinding')}
          </Button>
        </p>
      )}
      <Acts sheet={data} />
      <Did sheet={data} />
      <Others sheet={data} />
      <Past sheet={data} />
    </SidePanel>
  )
}

function Says({ sheet: { row } }: { sheet: EntrySheet }) {
  const { t } = useTranslation()
  const times = useTimes()
  const conditions = [
    ...(row.pattern === row.patternText ? [] : [row.patternText]),
    t(`senders.kindNote.${row.kind}`),
    ...(row.standing === 'safe'
      ? [t(row.withoutAuthentication ? 'senders.withoutAuthentication' : 'senders.authenticated')]
      : []),
    ...(row.binding ? [t('senders.binding')] : []),
    row.until === null
      ? t('ruling.forGood')
      : t('senders.untilNote', { day: times.day(new Date(Date.parse(row.until) - 1).toISOString()) }),
  ]
  return (
    <div className="text-[0.97rem]">
      <p className="flex flex-wrap items-baseline gap-x-2">
        <Standing standing={row.standing} />
        <span>
          <Sentence
            text={t('senders.sheet.keptBy', { name: '[[name]]' })}
            slots={{
              name:
                row.mailboxId === null ? (
                  t('senders.theOrganisation')
                ) : (
                  <ColleagueLink id={row.mailboxId} name={row.keptBy} />
                ),
            }}
          />
        </span>
      </p>
      <p className="text-ink-2">{conditions.join(' · ')}</p>
      <p>
        {row.reason === '' ? (
          <span className="text-ink-2">{t('senders.sheet.noReason')}</span>
        ) : (
          t('record.because', { reason: row.reason })
        )}{' '}
        <span className="text-ink-2">
          {t(`senders.origin.${row.origin}`, { day: times.day(row.createdAt) })}
        </span>
      </p>
      {row.endedAt !== null && (
        <p className="font-semibold">{t('senders.endedOn', { day: times.day(row.endedAt) })}</p>
      )}
    </div>
  )
}

function Acts({ sheet: { row } }: { sheet: EntrySheet }) {
  const { t } = useTranslation()
  const session = useSession()
  const begin = useDraft(state => state.begin)
  const [isAsking, setAsking] = useState(false)
  if (!mayWrite(session)) return null
  const isSteward = maySteer(session)
  if (row.mailboxId === null && !isSteward)
    return <p className="mt-2 text-[0.92rem] text-ink-2">{t('senders.sheet.stewards')}</p>
  return (
    <>
      <p className="mt-2.5 flex flex-wrap items-center gap-2">
        {row.endedAt === null ? (
          <>
            <Button onClick={() => begin({ kind: 'change', of: row })}>
              {t('senders.sheet.change')} <KeyCap>C</KeyCap>
            </Button>
            <Button onClick={() => begin({ kind: 'end', entries: [row] })}>
              {t('senders.sheet.end')} <KeyCap>E</KeyCap>
            </Button>
            {row.mailboxId !== null &&
              (isSteward ? (
                <Button
                  onClick={() => begin({ kind: 'change', of: row }, { mailboxId: null, binding: undefined })}
                >
                  {t('senders.sheet.forEverybody')}
                </Button>
              ) : (
                <Button aria-expanded={isAsking} onClick={() => setAsking(!isAsking)}>
                  {t('senders.sheet.askForEverybody')}
                </Button>
              ))}
          </>
        ) : (
          <Button onClick={() => begin({ kind: 'restore', of: row })}>{t('senders.sheet.restore')}</Button>
        )}
      </p>
      {isAsking && <AskForm sheet={row} onDone={() => setAsking(false)} />}
    </>
  )
}

function AskForm({ sheet, onDone }: { sheet: EntrySheet['row']; onDone: () => void }) {
  const { t } = useTranslation()
  const asking = useAct({
    send: (reason: string) =>
      call(askForEveryone, {
        body: {
          pattern: sheet.patternText,
          standing: sheet.standing,
          mailboxId: sheet.mailboxId ?? 0,
          reason,
        },
      }),
    notice: () => ({ text: t('senders.request.sent') }),
    makes: 'senders-worked',
    onDone,
  })
  return (
    <form
      className="mt-2 flex gap-2"
      onSubmit={event => {
        event.preventDefault()
        asking.mutate(String(new FormData(event.currentTarget).get('reason') ?? '').trim())
      }}
    >
      <input
        name="reason"
        autoFocus
        maxLength={1000}
        aria-label={t('senders.request.why')}
        placeholder={t('senders.request.why')}
        className="min-w-0 flex-1 rounded-sm border border-line-strong bg-raised px-2 py-1"
      />
      <Button type="submit" disabled={asking.isPending}>
        {t('senders.request.ask')}
      </Button>
    </form>
  )
}

function Did({ sheet: { did, deliveries, row } }: { sheet: EntrySheet }) {
  const { t } = useTranslation()
  const times = useTimes()
  const { number } = useNumbers()
  const met = did.decided + did.overruled + did.refused
  return (
    <section className="mt-4">
      <h3 className="font-serif text-[1.08rem] font-semibold">{t('senders.sheet.did')}</h3>
      <p className="text-[0.95rem]">
        {met === 0 ? (
          t('senders.sheet.metNothing')
        ) : (
          <Sentence
            text={[
              t(`senders.sheet.decided.${row.standing}`, { count: did.decided, shown: number(did.decided) }),
              ...(did.overruled > 0 ? [t('senders.sheet.overruled', { count: did.overruled })] : []),
              ...(did.refused > 0 ? [t('senders.sheet.refused', { count: did.refused })] : []),
            ].join(' ')}
          />
        )}
      </p>
      <ul className="mt-1">
        {deliveries.map(d => (
          <li
            key={d.id}
            className="grid grid-cols-[6.5rem_minmax(0,1fr)_auto] gap-2 border-b border-line py-1 text-[0.92rem]"
          >
            <span className="text-ink-2">{times.short(d.receivedAt)}</span>
            <Link to={`/review/${d.id}`} className="truncate hover:underline">
              {d.subject || t('review.noSubject')} <span className="text-ink-2">· {d.mailboxName}</span>
            </Link>
            <span className="text-ink-2">{t(`senders.sheet.role.${d.role}`)}</span>
          </li>
        ))}
      </ul>
    </section>
  )
}

function Others({ sheet: { others } }: { sheet: EntrySheet }) {
  const { t } = useTranslation()
  if (others.length === 0) return null
  return (
    <section className="mt-4">
      <h3 className="font-serif text-[1.08rem] font-semibold">{t('senders.sheet.others')}</h3>
      <ul className="flex flex-wrap gap-x-4 gap-y-0.5 text-[0.95rem]">
        {others.map(entry => (
          <li key={entry.id} className="inline-flex items-baseline gap-1.5">
            <Standing standing={entry.standing} />
            <Link to={`/senders/${entry.id}`} className="border-b border-line-strong hover:border-current">
              {entry.mailboxId === null ? t('senders.theOrganisation') : entry.keptBy}
            </Link>
          </li>
        ))}
      </ul>
    </section>
  )
}

function Past({ sheet: { history, versions, row } }: { sheet: EntrySheet }) {
  const { t } = useTranslation()
  const times = useTimes()
  const nameOf = (id: number) => {
    const version = versions.find(one => one.id === id)
    if (!version) return ''
    return [
      version.pattern,
      ...(version.until === null ? [] : [t('senders.untilNote', { day: times.day(version.until) })]),
    ].join(', ')
  }
  return (
    <section className="mt-4">
      <h3 className="font-serif text-[1.08rem] font-semibold">{t('senders.sheet.history')}</h3>
      {history.length === 0 && (
        <p className="text-[0.95rem] text-ink-2">
          {t('senders.sheet.noHistory', { day: times.day(row.createdAt) })}
        </p>
      )}
      <ol className="text-[0.95rem]">
        {history.map(h => (
          <li key={`${h.rulingId} ${h.what} ${h.entryId}`} className="border-b border-line py-1">
            <span className={h.undone ? 'line-through decoration-line-strong' : ''}>
              {t(`senders.sheet.${h.what}`, { by: h.by || 'Pendro', pattern: nameOf(h.entryId) })}
            </span>{' '}
            <Link
              to={`/record?ruling=${h.rulingId}&what=everything`}
              className="border-b border-line-strong text-ink-2 hover:border-current"
            >
              {times.full(h.at)}
            </Link>
            {h.reason !== '' && (
              <span className="block text-ink-2">{t('record.because', { reason: h.reason })}</span>
            )}
          </li>
        ))}
      </ol>
    </section>
  )
}
