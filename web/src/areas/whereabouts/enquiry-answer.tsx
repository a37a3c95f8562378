import { useRef, useState, type FormEvent, type KeyboardEvent } from 'react'
import { useQueryClient } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import {
  answerEnquiry,
  changeEnquiry,
  enquiryState,
  readAccount,
  type EnquiryLetter,
  type EnquirySheet,
  type EnquiryState,
  type WhereHit,
} from '@pendro/contract'
import { call } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { mayWrite, useSession } from '../../app/session.ts'
import { useTimes } from '../../app/times.ts'
import { useAct } from '../../app/use-act.ts'
import { Button } from '../../parts/buttons.tsx'
import { SentenceSlot } from '../../parts/sentence-slot.tsx'

/** What was written about an enquiry, and how far each answer has come. */
export function Letters({ letters }: { letters: readonly EnquiryLetter[] }) {
  const { t } = useTranslation()
  const times = useTimes()
  if (letters.length === 0) return null
  return (
    <div>
      <h3 className="font-bold">{t('whereabouts.enquiries.letters')}</h3>
      <ol>
        {letters.map(letter => (
          <li key={letter.id} className="border-b border-line py-1.5">
            <p>
              <b>{letter.name}</b>{' '}
              <span className="text-[0.92rem] text-ink-2">
                {t(`whereabouts.enquiries.wrote.${letter.by === 'staffer' ? 'answer' : letter.how}`, {
                  time: times.short(letter.at),
                })}
              </span>
            </p>
            <p className="break-words whitespace-pre-line">{letter.words}</p>
            <Way letter={letter} />
          </li>
        ))}
      </ol>
    </div>
  )
}

/** How far an answer has come: on its way, in the mailbox, read on the colleague's page. */
function Way({ letter: { mail, problem, readAt } }: { letter: EnquiryLetter }) {
  const { t } = useTranslation()
  const times = useTimes()
  if (mail === 'none') return null
  if (mail === 'refused')
    return <p className="font-semibold text-stop">{t('whereabouts.enquiries.way.refused', { problem })}</p>
  return (
    <p className={readAt === null ? 'text-[0.92rem] text-ink-2' : 'text-[0.92rem] text-wanted'}>
      {readAt === null
        ? t(`whereabouts.enquiries.way.${mail}`)
        : t('whereabouts.enquiries.way.read', { time: times.short(readAt) })}
    </p>
  )
}

/** What was sent already is not a draft any more. */
const draftOf = ({ answer, letters }: EnquirySheet) =>
  letters.some(({ by, words }) => by === 'staffer' && words === answer) ? '' : answer

/** What is being written into an enquiry, and what becomes of it. */
function useAnswerDraft(data: EnquirySheet, hits: readonly WhereHit[]) {
  const { t } = useTranslation()
  const client = useQueryClient()
  // Only what was touched here: the rest follows what others save, and what is typed is never swept away.
  const [state, setState] = useState<EnquiryState | null>(null)
  const [answer, setAnswer] = useState<string | null>(null)
  // One answer is one letter, however often the button is pressed.
  const [token, setToken] = useState(() => crypto.randomUUID())
  const field = useRef<HTMLTextAreaElement>(null)
  const shown = { state: state ?? data.state, answer: answer ?? draftOf(data) }
  const done = () =>
    void client.invalidateQueries({ queryKey: queryKeyOf('enquiries') }).then(() => {
      setState(null)
      setAnswer(null)
      setToken(crypto.randomUUID())
    })
  const params = { id: data.id }
  const saving = useAct({
    send: () =>
      call(changeEnquiry, { params, body: { state: state ?? undefined, answer: answer ?? undefined } }),
    notice: () => ({ text: t('whereabouts.enquiries.saved') }),
    onDone: done,
  })
  const sending = useAct({
    send: () =>
      call(answerEnquiry, { params, body: { words: shown.answer, state: state ?? undefined, token } }),
    notice: () => ({ text: t('whereabouts.enquiries.sent', { name: data.mailboxName }) }),
    onDone: done,
  })
  const propose = (words: string, next: EnquiryState) => {
    setAnswer(words)
    setState(next)
    // What was proposed is read, changed and sent from there.
    field.current?.focus()
  }
  const about = data.deliveries[0]?.id ?? hits.find(({ kind }) => kind === 'delivery')?.id
  const explaining = useAct({
    send: (id: number) => call(readAccount, { params: { id } }),
    onDone: ({ explanations }) => propose(explanations[data.language], 'found'),
  })
  const touched = state !== null || answer !== null
  return { field, shown, touched, setState, setAnswer, saving, sending, about, explaining, propose }
}

type Draft = ReturnType<typeof useAnswerDraft>

/** State and answer; words for each outcome are ready in the colleague's language. */
export function Answer({ data, hits }: { data: EnquirySheet; hits: readonly WhereHit[] }) {
  const { t } = useTranslation()
  const session = useSession()
  const draft = useAnswerDraft(data, hits)
  const { shown, touched, setState, setAnswer, saving, sending } = draft
  const disabled = !mayWrite(session)
  const isBlank = shown.answer.trim() === ''
  const isBusy = saving.isPending || sending.isPending
  const send = (event: FormEvent | KeyboardEvent) => {
    event.preventDefault()
    if (!isBlank && !isBusy) sending.mutate()
  }
  return (
    <form onSubmit={send} className="grid gap-2">
      <p>
        <SentenceSlot
          label={t('whereabouts.enquiries.stateLabel')}
          text={t(`whereabouts.enquiries.state.${shown.state}`)}
          value={shown.state}
          disabled={disabled}
          options={enquiryState.options.map(value => ({
            value,
            text: t(`whereabouts.enquiries.state.${value}`),
          }))}
          onPick={setState}
        />
      </p>
      <label>
        <span className="mb-1 block text-ink-2">
          {t('whereabouts.enquiries.answer', { name: data.mailboxName })}
        </span>
        <textarea
          rows={3}
          maxLength={4000}
          ref={draft.field}
          autoFocus
          value={shown.answer}
          disabled={disabled}
          onChange={event => setAnswer(event.target.value)}
          onKeyDown={event => {
            if (event.key === 'Enter' && (event.ctrlKey || event.metaKey)) send(event)
          }}
          className="field-sizing-content max-h-72 min-h-20 w-full rounded-md border border-line-strong bg-raised px-2.5 py-1.5"
        />
      </label>
      {!disabled && <Proposals data={data} draft={draft} />}
      {!disabled && (
        <p className="flex flex-wrap items-center gap-3">
          <Button kind="main" type="submit" disabled={isBusy || isBlank}>
            {t('whereabouts.enquiries.send', { name: data.mailboxName })}
          </Button>
          <Button kind="link" disabled={isBusy || !touched} onClick={() => saving.mutate()}>
            {t('whereabouts.enquiries.save')}
          </Button>
        </p>
      )}
    </form>
  )
}

/** Words to begin with, and the state that goes with them. */
function Proposals({ data, draft }: { data: EnquirySheet; draft: Draft }) {
  const { t } = useTranslation()
  const { about, explaining, propose } = draft
  return (
    <p className="flex flex-wrap items-center gap-x-4 gap-y-1 text-[0.95rem]">
      <span className="text-ink-2">
        {t('whereabouts.enquiries.propose', {
          language: t(`whereabouts.account.languages.${data.language}`),
        })}
      </span>
      {about !== undefined && (
        <Button kind="link" disabled={explaining.isPending} onClick={() => explaining.mutate(about)}>
          {t('whereabouts.enquiries.proposal.found')}
        </Button>
      )}
      <Button kind="link" onClick={() => propose(data.nothingCame[data.language], 'never sent to us')}>
        {t('whereabouts.enquiries.proposal.nothingCame')}
      </Button>
      <Button kind="link" onClick={() => propose(data.waitForSender[data.language], 'waiting for sender')}>
        {t('whereabouts.enquiries.proposal.waitForSender')}
      </Button>
    </p>
  )
}
