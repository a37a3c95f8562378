import { useState, type FormEvent, type KeyboardEvent } from 'react'
import { clsx } from 'clsx'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import {
  enquiryHow,
  openEnquiry,
  type EnquiryBrief,
  type EnquirySheet,
  type EnquiryState,
  type WhereHit,
  type WhereQuestion,
} from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useNotices } from '../../app/notices.ts'
import { mayWrite, useSession } from '../../app/session.ts'
import { useAct } from '../../app/use-act.ts'
import { useTimes } from '../../app/times.ts'
import { ColleagueLink } from '../../parts/colleague-link.tsx'
import { Button } from '../../parts/buttons.tsx'
import { MailboxSlot } from '../../parts/mailbox-slot.tsx'
import { SentenceSlot } from '../../parts/sentence-slot.tsx'
import { Failed, SkeletonRows } from '../../parts/states.tsx'
import { Answer, Letters } from './enquiry-answer.tsx'
import { useEnquiries, useEnquiry } from './use-where.ts'
import { listFormat } from '../../app/formats.ts'

/** Colleagues who wait for an answer; one of them opened, or a new one. */
export function Enquiries({
  open,
  adding,
  question,
  colleague,
  hits,
  onOpen,
}: {
  open: number | null
  /** A new one is being written down. */
  adding: boolean
  /** The question on screen: a new enquiry takes it along. */
  question: WhereQuestion
  /** Whom the question is about, as it was understood: most often who is on the phone. */
  colleague: number | undefined
  hits: readonly WhereHit[]
  /** `null`: back to all of them. */
  onOpen: (id: number | 'new' | null) => void
}) {
  const { t } = useTranslation()
  const session = useSession()
  const list = useEnquiries()
  return (
    <aside
      aria-label={t('whereabouts.enquiries.title')}
      className="min-h-0 overflow-y-auto border-l border-line-strong bg-sheet px-5 py-4"
      tabIndex={0}
    >
      <div className="flex items-start justify-between gap-3">
        <div>
          <h2 className="font-serif text-[1.2rem] font-semibold">{t('whereabouts.enquiries.title')}</h2>
          <p className="text-[0.95rem] text-ink-2">{t('whereabouts.enquiries.text')}</p>
        </div>
        {mayWrite(session) && open === null && (
          <Button onClick={() => onOpen(adding ? null : 'new')} aria-expanded={adding}>
            {t(adding ? 'whereabouts.enquiries.close' : 'whereabouts.enquiries.new')}
          </Button>
        )}
      </div>
      {adding && mayWrite(session) && (
        <NewEnquiry question={question} colleague={colleague} onDone={onOpen} />
      )}
      {open !== null && <Opened key={open} id={open} hits={hits} onClose={() => onOpen(null)} />}
      {open === null && list.isPending && <SkeletonRows count={4} height={64} />}
      {open === null && list.error && !list.data && (
        <Failed error={list.error} onAgain={() => void list.refetch()} />
      )}
      {open === null && list.data?.enquiries.length === 0 && (
        <p className="mt-4 text-ink-2">{t('whereabouts.enquiries.none')}</p>
      )}
      {open === null && (
        <ul className="mt-3">
          {list.data?.enquiries.map(enquiry => (
            <li key={enquiry.id} className="border-b border-line">
              <EnquiryRow enquiry={enquiry} onOpen={onOpen} />
            </li>
          ))}
        </ul>
      )}
    </aside>
  )
}

const isOpenState = (state: EnquiryState) => state !== 'found' && state !== 'never sent to us'

function StateMark({ state }: { state: EnquiryState }) {
  const { t } = useTranslation()
  return (
    <span
      className={clsx(
        'rounded-full rounded-bl-none px-2 py-px text-[0.88rem] font-semibold whitespace-nowrap',
        isOpenState(state) ? 'bg-amber-tint text-amber' : 'bg-wanted-tint text-wanted',
      )}
    >
      {t(`whereabouts.enquiries.state.${state}`)}
    </span>
  )
}

function EnquiryRow({ enquiry, onOpen }: { enquiry: EnquiryBrief; onOpen: (id: number) => void }) {
  const { t } = useTranslation()
  const times = useTimes()
  return (
    <button
      type="button"
      className="w-full py-2.5 text-left hover:bg-raised"
      onClick={() => onOpen(enquiry.id)}
    >
      <span className="flex flex-wrap items-baseline gap-x-2">
        <StateMark state={enquiry.state} />
        <b>{enquiry.mailboxName}</b>
        <span className="text-[0.92rem] text-ink-2">
          {t('whereabouts.enquiries.by', {
            time: times.short(enquiry.openedAt),
            how: t(`whereabouts.enquiries.howOptions.${enquiry.how}`),
          })}
        </span>
      </span>
      <span className="mt-0.5 block">{enquiry.words}</span>
      {enquiry.lastLetter === 'colleague' && isOpenState(enquiry.state) && enquiry.state !== 'new' && (
        <b className="mt-0.5 block text-amber">{t('whereabouts.enquiries.replied')}</b>
      )}
      {enquiry.cameIn > 0 && isOpenState(enquiry.state) && (
        <b className="mt-0.5 block text-wanted">
          {t('whereabouts.enquiries.cameIn', { count: enquiry.cameIn })}
        </b>
      )}
    </button>
  )
}

/** What is said when an enquiry is opened, and opening it. */
function useNewEnquiry(question: WhereQuestion, colleague: number | undefined, onDone: (id: number) => void) {
  const { t } = useTranslation()
  const show = useNotices(state => state.show)
  const [mailbox, setMailbox] = useState(colleague)
  const [how, setHow] = useState<EnquiryBrief['how']>('phone')
  const [words, setWords] = useState('')
  const opening = useAct({
    send: (mailboxId: number) => call(openEnquiry, { body: { mailboxId, how, words, question } }),
    notice: () => ({ text: t('whereabouts.enquiries.opened') }),
    makes: 'enquiry-changed',
    onDone: ({ id }) => onDone(id),
  })
  const submit = (event: FormEvent | KeyboardEvent) => {
    event.preventDefault()
    if (words.trim() === '') return
    if (mailbox === undefined) show({ tone: 'problem', text: t('whereabouts.enquiries.needsColleague') })
    else opening.mutate(mailbox)
  }
  return { mailbox, setMailbox, how, setHow, words, setWords, opening, submit }
}

function NewEnquiry({
  question,
  colleague,
  onDone,
}: {
  question: WhereQuestion
  colleague: number | undefined
  onDone: (id: number) => void
}) {
  const { t } = useTranslation()
  const { mailbox, setMailbox, how, setHow, words, setWords, opening, submit } = useNewEnquiry(
    question,
    colleague,
    onDone,
  )
  return (
    <form onSubmit={submit} className="mt-3 grid gap-2 rounded-lg border border-line bg-raised p-3">
      <p>
        {t('whereabouts.enquiries.for')}{' '}
        <MailboxSlot
          mailbox={mailbox}
          onPick={setMailbox}
          nobody={t('whereabouts.enquiries.forNobody')}
          label={t('whereabouts.enquiries.forNobody')}
          others={[]}
        />{' '}
        <SentenceSlot
          label={t('whereabouts.enquiries.how')}
          text={t(`whereabouts.enquiries.howOptions.${how}`)}
          value={how}
          options={enquiryHow.options.map(value => ({
            value,
            text: t(`whereabouts.enquiries.howOptions.${value}`),
          }))}
          onPick={setHow}
        />
      </p>
      <label>
        <span className="mb-1 block text-ink-2">{t('whereabouts.enquiries.words')}</span>
        <textarea
          required
          autoFocus
          rows={2}
          maxLength={1000}
          value={words}
          onChange={event => setWords(event.target.value)}
          onKeyDown={event => {
            if (event.key === 'Enter' && (event.ctrlKey || event.metaKey)) submit(event)
          }}
          className="w-full rounded-md border border-line-strong bg-sheet px-2.5 py-1.5"
        />
      </label>
      <p>
        <Button kind="main" type="submit" disabled={opening.isPending}>
          {t('whereabouts.enquiries.open')}
        </Button>
      </p>
    </form>
  )
}

function Opened({ id, hits, onClose }: { id: number; hits: readonly WhereHit[]; onClose: () => void }) {
  const { t, i18n } = useTranslation()
  const times = useTimes()
  const { data, error, refetch } = useEnquiry(id)
  if (error && !data) return <Failed error={error} onAgain={() => void refetch()} />
  if (!data) return <SkeletonRows count={3} height={64} />
  return (
    <section className="mt-3 grid gap-3">
      <p>
        <Button kind="link" onClick={onClose}>
          {t('whereabouts.enquiries.back')}
        </Button>
      </p>
      <div>
        <b>
          <ColleagueLink id={data.mailboxId} name={data.mailboxName} />
        </b>{' '}
        <span className="text-[0.92rem] text-ink-2">
          {t('whereabouts.enquiries.by', {
            time: times.short(data.openedAt),
            how: t(`whereabouts.enquiries.howOptions.${data.how}`),
          })}
        </span>
        <p>{data.words}</p>
        {data.staffer !== '' && (
          <p className="text-[0.95rem] text-ink-2">
            {t('whereabouts.enquiries.worksOn', { name: data.staffer })}
          </p>
        )}
        {data.alsoHere.length > 0 && (
          <p role="status" className="mt-1 rounded-md bg-amber-tint px-2.5 py-1 text-amber">
            {t('whereabouts.enquiries.alsoHere', {
              count: data.alsoHere.length,
              names: listFormat(i18n.language, 'conjunction').format(data.alsoHere),
            })}
          </p>
        )}
      </div>
      {data.deliveries.length > 0 && <Messages deliveries={data.deliveries} />}
      <Letters letters={data.letters} />
      <Answer data={data} hits={hits} />
    </section>
  )
}

/** The messages an enquiry is about, each with where it is. */
function Messages({ deliveries }: Pick<EnquirySheet, 'deliveries'>) {
  const { t } = useTranslation()
  const times = useTimes()
  return (
    <div>
      <h3 className="font-bold">{t('whereabouts.enquiries.messages')}</h3>
      <ul>
        {deliveries.map(delivery => (
          <li key={delivery.id} className="border-b border-line py-1">
            {delivery.how === 'came in' && (
              <b className="text-wanted">{t('whereabouts.enquiries.cameIn', { count: 1 })} </b>
            )}
            <Link to={`/whereabouts/account/${delivery.id}`} className="border-b border-current text-petrol">
              {delivery.subject}
            </Link>{' '}
            <span className="text-ink-2">
              {delivery.from}, {times.short(delivery.at)},{' '}
              {t([`whereabouts.stop.${delivery.state}`, 'whereabouts.stop.ruled-discard']).toLowerCase()}
            </span>
          </li>
        ))}
      </ul>
    </div>
  )
}
