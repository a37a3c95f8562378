import { queryKeyOf } from '../../app/query-keys.ts'
import { useState } from 'react'
import { useQuery } from '@tanstack/react-query'
import { clsx } from 'clsx'
import type { TFunction } from 'i18next'
import { Paperclip } from 'lucide-react'
import { useTranslation } from 'react-i18next'
import { Link, useParams } from 'react-router'
import { eraseOwn, ownSheet, type OwnAct, type OwnSheet } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useTimes } from '../../app/times.ts'
import { Button } from '../../parts/buttons.tsx'
import { Empty, SkeletonRows } from '../../parts/states.tsx'
import { isOpen } from './own-mail.tsx'
import { useProblemText } from './own-session.ts'
import { useOwnAct } from './use-own-act.ts'
import { useActs, useOfferedActs } from './use-acts.ts'

export function OwnMessagePage() {
  const { id } = useParams()
  return <OwnMessage id={/^\d{1,15}$/.test(id ?? '') ? Number(id) : 0} proposed={null} />
}

/** One message, why it was kept back, and what can be done. `proposed`: the act of a followed link. */
export function OwnMessage({ id, proposed }: { id: number; proposed: OwnAct | null }) {
  const { t } = useTranslation()
  const problemText = useProblemText()
  const { data, error } = useQuery({
    queryKey: queryKeyOf('own', 'message', id),
    queryFn: ({ signal }) => call(ownSheet, { params: { id }, signal }),
    refetchInterval: 5_000,
  })
  if (error && !data)
    return (
      <Empty title={problemText(error)}>
        <BackLink />
      </Empty>
    )
  if (!data) return <SkeletonRows count={4} />
  return (
    <article>
      <p className="mb-2">
        <BackLink />
      </p>
      <Head data={data} />
      {isOpen(data.row) ? <Decide data={data} proposed={proposed} /> : <Became data={data} />}
      {!data.gone && data.row.state !== 'sealed' && <SafeView id={id} />}
      {data.gone && <p className="mt-4 text-ink-2">{t('own.gone')}</p>}
    </article>
  )
}

function BackLink() {
  const { t } = useTranslation()
  return (
    <Link to="/own" className="border-b border-current text-petrol">
      {t('own.back')}
    </Link>
  )
}

function Head({ data: { row, reasons, attachments } }: { data: OwnSheet }) {
  const { t } = useTranslation()
  const times = useTimes()
  return (
    <header>
      <h1 className="font-serif text-[1.35rem] leading-snug font-semibold break-words">
        {row.subject || t('own.noSubject')}
      </h1>
      <p className="mt-1 break-words">
        <b>{row.fromName}</b>
        <span className="block font-mono text-[0.95rem] break-words">{row.fromAddress}</span>
      </p>
      <p className="text-ink-2">
        {times.full(row.receivedAt)}
        {isOpen(row) && ` · ${t('own.goesAway', { count: Math.max(0, times.daysLeft(row.expiresAt)) })}`}
        {row.mailbox !== '' && ` · ${t('own.for', { mailbox: row.mailbox })}`}
      </p>
      <h2 className="mt-3 font-bold">{t('own.why')}</h2>
      <ul>
        {reasons.map(reason => (
          <li key={reason}>{t(`held.${reason}`)}</li>
        ))}
      </ul>
      {attachments.length > 0 && (
        <ul className="mt-2 flex flex-wrap gap-x-4 text-ink-2">
          {attachments.map(({ name, danger }, i) => (
            <li key={i} className="flex items-center gap-1.5 break-all">
              <Paperclip aria-hidden className="size-4 shrink-0" />
              {name}
              {danger && <b className="text-stop">{t('own.danger')}</b>}
            </li>
          ))}
        </ul>
      )}
    </header>
  )
}

function Decide({ data, proposed }: { data: OwnSheet; proposed: OwnAct | null }) {
  const { t } = useTranslation()
  const acting = useActs()
  const { row, outlook } = data
  const acts = useOfferedActs()
  const isOffered = proposed !== null && acts.includes(proposed)
  const main = isOffered ? proposed : 'send'
  const canRule = outlook.why !== 'no-sender'
  const offered = [main, ...acts.filter(act => act !== main)].filter(act => act === 'send' || canRule)
  return (
    <section className="mt-4 rounded-lg border border-line-strong bg-sheet p-4">
      {proposed && !isOffered && (
        <p className="mb-3 rounded-md bg-tint px-3 py-2">{t('own.notHere.senders')}</p>
      )}
      {isOffered && (
        <p className="mb-3 rounded-md bg-tint px-3 py-2 font-semibold">
          {t('own.followed', { act: t(`act.${proposed}`) })}
        </p>
      )}
      <dl className="grid gap-3">
        {offered.map(act => (
          <div key={act} className="flex flex-col gap-x-4 gap-y-1 sm:flex-row sm:items-center">
            <dt className="shrink-0 sm:w-64">
              <Button
                kind={act === main ? 'main' : 'plain'}
                disabled={acting.isPending}
                className="min-h-11 w-full justify-center !whitespace-normal"
                onClick={() => acting.mutate({ ids: [row.id], act })}
              >
                {t(`act.${act}`)}
              </Button>
            </dt>
            <dd className={clsx('text-[0.95rem] text-ink-2')}>{beforeText(act, data, t)}</dd>
          </div>
        ))}
      </dl>
    </section>
  )
}

/** What an act comes to, said before it is done. */
function beforeText(act: OwnAct, { row, outlook }: OwnSheet, t: TFunction): string {
  const facts = { address: row.fromAddress, pattern: outlook.pattern }
  return act === 'send-trust' && !outlook.arrives && outlook.why !== ''
    ? t(`own.outlook.${outlook.why}`, facts)
    : t(`own.before.${act}`, facts)
}

const told = ['deferred', 'released', 'bounced', 'discarded', 'sealed', 'expired'] as const

function Became({ data: { row, ruled } }: { data: OwnSheet }) {
  const { t } = useTranslation()
  const times = useTimes()
  const acting = useActs()
  const state = told.find(one => one === row.state) ?? 'other'
  return (
    <section role="status" className="mt-4 rounded-lg border border-line-strong bg-sheet p-4">
      <p className="font-semibold">{t(`own.state.${state}`)}</p>
      {ruled && (
        <p className="text-ink-2">
          {ruled.by === ''
            ? ruled.own && t('own.ruledByYou', { time: times.full(ruled.at) })
            : t('own.ruledBy', { name: ruled.by, time: times.full(ruled.at) })}
        </p>
      )}
      {state === 'discarded' && <EraseOwn id={row.id} />}
      {state === 'bounced' && (
        <Button
          kind="main"
          className="mt-3"
          disabled={acting.isPending}
          onClick={() => acting.mutate({ ids: [row.id], act: 'send' })}
        >
          {t('act.send')}
        </Button>
      )}
    </section>
  )
}

/** Gone for good takes two presses: the second one says what it means. */
function EraseOwn({ id }: { id: number }) {
  const { t } = useTranslation()
  const [isAsked, setAsked] = useState(false)
  const erasing = useOwnAct({
    send: () => call(eraseOwn, { body: { delivery: id } }),
    notice: () => ({ text: t('own.erase.done') }),
    makes: 'own-changed',
  })
  if (!isAsked)
    return (
      <Button kind="link" className="mt-3" onClick={() => setAsked(true)}>
        {t('own.erase.button')}
      </Button>
    )
  return (
    <div className="mt-3">
      <p>{t('own.erase.text')}</p>
      <p className="mt-2 flex flex-wrap gap-3">
        <Button autoFocus onClick={() => setAsked(false)}>
          {t('own.erase.keep')}
        </Button>
        <Button
          className="border-stop! text-stop"
          disabled={erasing.isPending}
          onClick={() => erasing.mutate()}
        >
          {t('own.erase.button')}
        </Button>
      </p>
    </div>
  )
}

/** The message in a frame in which nothing can run, load or lead anywhere. */
function SafeView({ id }: { id: number }) {
  const { t } = useTranslation()
  const [form, setForm] = useState<'html' | 'text'>('html')
  return (
    <section
      aria-label={t('own.message')}
      className="mt-4 overflow-hidden rounded-lg border border-line bg-raised"
    >
      <div className="flex flex-wrap items-center justify-between gap-x-4 border-b border-line bg-amber-tint px-4 py-1.5 text-amber">
        <span>
          <b>{t('own.message')}.</b> {t('own.messageHint')}
        </span>
        <button
          type="button"
          className="min-h-8 border-b border-current"
          onClick={() => setForm(form === 'html' ? 'text' : 'html')}
        >
          {t(form === 'html' ? 'own.asText' : 'own.asHtml')}
        </button>
      </div>
      <iframe
        title={t('own.message')}
        sandbox=""
        src={`/api/own/mail/${id}/view?as=${form}`}
        className="block h-[420px] w-full bg-white"
      />
    </section>
  )
}
