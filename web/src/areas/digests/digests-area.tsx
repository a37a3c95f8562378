import { queryKeyOf } from '../../app/query-keys.ts'
import { useCallback, useEffect, useState, type ReactNode } from 'react'
import { keepPreviousData, useQuery, useQueryClient, type UseQueryResult } from '@tanstack/react-query'
import { clsx } from 'clsx'
import { ColleagueLink } from '../../parts/colleague-link.tsx'
import { useTranslation } from 'react-i18next'
import { useNavigate, useParams } from 'react-router'
import {
  digestLanguage,
  findMailboxes,
  previewDigest,
  sendDigest,
  setLanguage,
  sentDigest,
  type ComposedDigest,
  type DigestLanguage,
  type DigestPreview,
  type LiveEvent,
  type MailboxBrief,
} from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useLiveEvents } from '../../app/live.ts'
import { mayWrite, useSession } from '../../app/session.ts'
import { isStillAt } from '../../app/still-here.ts'
import { useTimes } from '../../app/times.ts'
import { useAct } from '../../app/use-act.ts'
import { areaLayout } from '../../parts/layout.ts'
import { TwoPanes } from '../../parts/two-panes.tsx'
import { useIsNarrow } from '../../parts/use-is-narrow.ts'
import { Boundary } from '../../parts/boundary.tsx'
import { Button } from '../../parts/buttons.tsx'
import { SentenceSlot } from '../../parts/sentence-slot.tsx'
import { Sentence } from '../../parts/sentence.tsx'
import { FirstSteps } from '../../parts/first-steps.tsx'
import { Empty, Failed, SkeletonRows } from '../../parts/states.tsx'
import { Changed } from './changed.tsx'
import { Watched } from './watched.tsx'
import { DayLine, useDigestDay } from './day-line.tsx'
import { LineNotes } from './line-notes.tsx'
import { Replies } from './replies.tsx'
import { ScheduleSlot } from '../../parts/schedule-slot.tsx'

const forms = ['computer', 'phone', 'text'] as const
type Form = (typeof forms)[number]

export function DigestsArea() {
  const { t } = useTranslation()
  const { id } = useParams()
  const navigate = useNavigate()
  const [find, setFind] = useState('')
  const list = useQuery({
    queryKey: queryKeyOf('mailboxes', find, 'digests'),
    queryFn: ({ signal }) => call(findMailboxes, { query: { find, limit: 300, order: 'digest' }, signal }),
    placeholderData: keepPreviousData,
  })
  const openId = id !== undefined && /^\d{1,9}$/.test(id) ? Number(id) : null
  const showsReplies = id === 'replies'
  const oneAtATime = useIsNarrow()
  const first = list.data?.mailboxes[0]?.id
  useEffect(() => {
    const isWanted = openId === null && !showsReplies && !oneAtATime
    if (isWanted && first !== undefined && isStillAt('/digests'))
      void navigate(`/digests/${first}`, { replace: true })
  }, [openId, showsReplies, first, navigate, oneAtATime])
  return (
    <div className={areaLayout}>
      <h1 className="sr-only">{t('areas.digests')}</h1>
      <DayLine />
      <TwoPanes
        columns="min-[900px]:grid-cols-[minmax(300px,400px)_minmax(0,1fr)]"
        isOpen={showsReplies || openId !== null}
        back="/digests"
        list={
          <Colleagues list={list} find={find} onFind={setFind} openId={openId} showsReplies={showsReplies} />
        }
        detail={
          showsReplies ? (
            <div
              className="h-full overflow-y-auto px-6 py-4 max-[899px]:px-4"
              tabIndex={0}
              role="region"
              aria-label={t('digests.replies')}
            >
              <Replies />
            </div>
          ) : (
            openId !== null && (
              <Boundary of={openId}>
                <Preview key={openId} mailboxId={openId} />
              </Boundary>
            )
          )
        }
      />
    </div>
  )
}

interface ColleaguesProps {
  readonly list: UseQueryResult<{ mailboxes: MailboxBrief[] }>
  readonly find: string
  readonly onFind: (text: string) => void
  readonly openId: number | null
  readonly showsReplies: boolean
}

/** Whose digest is shown: everybody with one, those with the most in it first. */
function Colleagues({ list, find, onFind, openId, showsReplies }: ColleaguesProps) {
  const { t } = useTranslation()
  const navigate = useNavigate()
  const toLookAt = useDigestDay().data?.repliesToLookAt ?? 0
  return (
    <div className="grid min-h-0 h-full grid-rows-[auto_minmax(0,1fr)] bg-sheet">
      <div className="flex items-center gap-3 border-b border-line bg-ground px-5 py-3">
        <input
          value={find}
          onChange={event => onFind(event.target.value)}
          aria-label={t('digests.find')}
          placeholder={t('digests.find')}
          className="min-w-0 flex-1 rounded-md border border-line-strong bg-raised px-3 py-1.5"
        />
        <Button
          aria-pressed={showsReplies}
          onClick={() => void navigate(showsReplies ? '/digests' : '/digests/replies')}
        >
          {t('digests.replies')}
          {toLookAt > 0 && <b className="text-stop">{toLookAt}</b>}
        </Button>
      </div>
      <div className="overflow-y-auto" tabIndex={0} role="region" aria-label={t('digests.colleagues')}>
        {list.isPending && <SkeletonRows count={9} height={56} />}
        {list.error && !list.data && <Failed error={list.error} onAgain={() => void list.refetch()} />}
        {list.data?.mailboxes.length === 0 && (
          <Empty title={t('digests.nobody')}>{t('digests.nobodyText', { find })}</Empty>
        )}
        {list.data?.mailboxes.map(mailbox => (
          <MailboxRow
            key={mailbox.id}
            mailbox={mailbox}
            chosen={mailbox.id === openId}
            onOpen={() => void navigate(`/digests/${mailbox.id}`, { replace: true })}
          />
        ))}
      </div>
    </div>
  )
}

function MailboxRow({
  mailbox,
  chosen,
  onOpen,
}: {
  mailbox: MailboxBrief
  chosen: boolean
  onOpen: () => void
}) {
  const { t } = useTranslation()
  return (
    <button
      type="button"
      aria-current={chosen}
      onClick={onOpen}
      className={clsx(
        'grid w-full grid-cols-[minmax(0,1fr)_auto] gap-x-3 border-b border-l-4 border-b-line px-4 py-2 text-left outline-offset-[-3px]',
        chosen ? 'border-l-petrol bg-tint' : 'border-l-transparent hover:bg-raised',
      )}
    >
      <span className="truncate font-bold">{mailbox.name}</span>
      <span className="text-ink-2">
        {mailbox.nextListed + mailbox.nextLeftOut === 0
          ? t('digests.nothing')
          : t('digests.nextHolds', { listed: mailbox.nextListed, leftOut: mailbox.nextLeftOut })}
      </span>
      <span className="col-span-2 truncate text-[0.92rem] text-ink-2">
        {mailbox.department} ·{' '}
        {mailbox.kind === 'person' ? mailbox.address : t(`digests.kind.${mailbox.kind}`)}
      </span>
    </button>
  )
}

function Preview({ mailboxId }: { mailboxId: number }) {
  const { t } = useTranslation()
  const session = useSession()
  const client = useQueryClient()
  const [form, setForm] = useState<Form>('computer')
  const [language, showIn] = useState<DigestLanguage | undefined>()
  const { data, error, refetch } = useQuery({
    queryKey: queryKeyOf('digest', mailboxId, language),
    queryFn: ({ signal }) => call(previewDigest, { params: { id: mailboxId }, query: { language }, signal }),
    placeholderData: keepPreviousData,
  })
  useLiveEvents(
    useCallback(
      ({ kind }: LiveEvent) => {
        if (kind === 'digest' || kind === 'ruled')
          void client.invalidateQueries({ queryKey: queryKeyOf('digest') })
      },
      [client],
    ),
  )
  const sending = useAct({
    send: () => call(sendDigest, { params: { id: mailboxId } }),
    notice: ({ listed, leftOut }) => ({
      text: t('digests.sent', { name: data?.mailbox.name, count: listed, leftOut }),
    }),
    makes: 'digest-changed',
  })
  if (error && !data) return <Failed error={error} onAgain={() => void refetch()} />
  if (!data) return <SkeletonRows count={6} />
  return (
    <div className="grid min-h-0 grid-rows-[auto_minmax(0,1fr)]">
      <div className="flex items-center gap-4 border-b border-line-strong px-6 py-3">
        <PreviewSentence data={data} />
        {mayWrite(session) && (
          <Button
            className="ml-auto"
            disabled={sending.isPending || data.message === null}
            onClick={() => sending.mutate()}
          >
            {t('digests.sendNow')}
          </Button>
        )}
      </div>
      <div
        className="min-h-0 overflow-y-auto px-6 py-4"
        tabIndex={0}
        role="region"
        aria-label={t('digests.preview')}
      >
        <Composed data={data} form={form} setForm={setForm} onLanguage={showIn} />
        {mayWrite(session) && <LineNotes lines={data.lines} />}
        <Watched watched={data.watched} />
        <Changed changed={data.changed} />
        <SentBefore sent={data.sent} form={form} setForm={setForm} />
      </div>
    </div>
  )
}

interface ComposedProps {
  readonly data: DigestPreview
  readonly form: Form
  readonly setForm: (form: Form) => void
  readonly onLanguage: (language: DigestLanguage) => void
}

/** The digest as a mail program would show it, in any of its languages. */
function Composed({ data, form, setForm, onLanguage }: ComposedProps) {
  const { t } = useTranslation()
  return data.message === null ? (
    <Empty title={t('digests.empty')}>
      {t('digests.emptyText', { name: data.mailbox.name })}
      <FirstSteps className="mt-2" />
    </Empty>
  ) : (
    <AsSeen message={data.message} form={form} setForm={setForm}>
      <SentenceSlot
        label={t('digests.languageLabel')}
        text={t(`digests.language.${data.language}`)}
        value={data.language}
        options={digestLanguage.options.map(value => ({
          value: value as string,
          text: t(`digests.language.${value}`),
        }))}
        onPick={value => onLanguage(value as DigestLanguage)}
      />{' '}
      <KeepLanguage data={data} />
    </AsSeen>
  )
}

/** Another language than the colleague's is but looked at, until somebody says that it is theirs. */
function KeepLanguage({ data: { mailbox, language, ownLanguage } }: Pick<ComposedProps, 'data'>) {
  const { t } = useTranslation()
  const session = useSession()
  const keeping = useAct({
    send: (chosen: DigestLanguage) =>
      call(setLanguage, { params: { id: mailbox.id }, body: { language: chosen } }),
    notice: (_, chosen) => ({
      text: t('digests.languageKept', { name: mailbox.name, language: t(`digests.language.${chosen}`) }),
    }),
    makes: 'digest-changed',
  })
  const chosen = digestLanguage.safeParse(language).data
  if (chosen === undefined || chosen === ownLanguage || !mayWrite(session)) return null
  return (
    <Button kind="link" disabled={keeping.isPending} onClick={() => keeping.mutate(chosen)}>
      {t('digests.keepLanguage', { name: mailbox.name, language: t(`digests.language.${chosen}`) })}
    </Button>
  )
}

function PreviewSentence({ data }: { data: DigestPreview }) {
  const { t } = useTranslation()
  const times = useTimes()
  const session = useSession()
  const since =
    data.since === null ? t('digests.noneBefore') : t('digests.since', { time: times.full(data.since) })
  return (
    <p className="text-[1.1rem]">
      <Sentence
        text={t('digests.summary', {
          name: '[[name]]',
          listed: t('digests.listed', { count: data.listed }),
          leftOut: t('digests.leftOut', { count: data.leftOut }),
        })}
        slots={{ name: <ColleagueLink id={data.mailbox.id} name={data.mailbox.name} /> }}
      />{' '}
      <span className="text-ink-2">{since}</span>{' '}
      <Sentence
        text={t(data.next === null ? 'digests.noNext' : 'digests.next', {
          time: data.next === null ? '' : times.full(data.next),
        })}
        slots={{ schedule: <ScheduleSlot data={data} disabled={!mayWrite(session)} /> }}
      />
    </p>
  )
}

function AsSeen({
  message,
  form,
  setForm,
  children,
}: {
  message: ComposedDigest
  form: Form
  setForm: (form: Form) => void
  /** More to choose beside the form. */
  children?: ReactNode
}) {
  const { t } = useTranslation()
  return (
    <section
      className={clsx(
        'mx-auto overflow-hidden rounded-lg border border-line bg-raised',
        form === 'phone' ? 'max-w-[362px]' : 'max-w-2xl',
      )}
    >
      <div className="border-b border-line px-5 py-3">
        <h2 className="font-bold">{message.subject}</h2>
        <p className="text-[0.95rem] text-ink-2">
          {t('digests.fromTo', { from: message.from, to: message.to })}
        </p>
        <p className="mt-1">
          <SentenceSlot
            label={t('digests.formLabel')}
            text={t(`digests.form.${form}`)}
            value={form}
            options={forms.map(value => ({ value, text: t(`digests.form.${value}`) }))}
            onPick={setForm}
          />{' '}
          {children}
        </p>
      </div>
      {form === 'text' ? (
        <pre className="overflow-auto bg-white p-5 font-mono text-[0.92rem] whitespace-pre-wrap text-[#1E2A30]">
          {message.text}
        </pre>
      ) : (
        <iframe
          title={t('digests.preview')}
          sandbox=""
          srcDoc={message.html}
          className="block h-[520px] w-full bg-white"
        />
      )}
    </section>
  )
}

function SentBefore({
  sent,
  form,
  setForm,
}: {
  sent: DigestPreview['sent']
  form: Form
  setForm: (form: Form) => void
}) {
  const { t } = useTranslation()
  const times = useTimes()
  const [open, setOpen] = useState<number | null>(null)
  const past = useQuery({
    queryKey: queryKeyOf('digest', 'sent', open),
    enabled: open !== null,
    queryFn: ({ signal }) => call(sentDigest, { params: { id: open ?? 0 }, signal }),
  })
  if (sent.length === 0) return null
  return (
    <section className="mx-auto mt-6 max-w-2xl">
      <h3 className="font-bold text-ink-2">{t('digests.before')}</h3>
      <ol>
        {sent.map(({ id, at, listed, leftOut, state, problem }) => (
          <li key={id} className="border-b border-line py-1.5">
            {times.full(at)} · {t('digests.listed', { count: listed })},{' '}
            {t('digests.leftOut', { count: leftOut })} · <b>{t(`digests.state.${state}`)}</b> {problem}{' '}
            <Button kind="link" aria-expanded={open === id} onClick={() => setOpen(open === id ? null : id)}>
              {t(open === id ? 'digests.hideSent' : 'digests.showSent')}
            </Button>
            {open === id && past.data && (
              <div className="mt-2">
                <AsSeen message={past.data.message} form={form} setForm={setForm} />
              </div>
            )}
          </li>
        ))}
      </ol>
    </section>
  )
}
