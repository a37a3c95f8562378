import { useEffect, useMemo } from 'react'
import { useQueryClient } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import { changeEnquiry, type WhereAnswer, type WhereHit, type WhereQuestion } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { useKeys } from '../../app/keys.ts'
import { useAct } from '../../app/use-act.ts'
import { mayWrite, useSession } from '../../app/session.ts'
import { useNumbers, useTimes } from '../../app/times.ts'
import { FirstSteps } from '../../parts/first-steps.tsx'
import { Empty, Failed, SkeletonRows } from '../../parts/states.tsx'
import { Enquiries } from './enquiries.tsx'
import { HitList } from './hit-list.tsx'
import { Question } from './question.tsx'
import { Trouble } from './trouble.tsx'
import {
  isBlankQuestion,
  isEqual,
  noQuestion,
  trimmed,
  useAddress,
  useAnswer,
  useEnquiry,
  useLiveWhereabouts,
} from './use-where.ts'

const noHits: readonly WhereHit[] = []

/** "She mailed me, where is it?" answered while the colleague is still on the phone. */
export function WhereaboutsArea() {
  const { t } = useTranslation()
  const client = useQueryClient()
  const { question, enquiry, adding, go } = useAddress()
  const answer = useAnswer(question)
  useLiveWhereabouts()
  // An enquiry opened by its number alone brings its question along.
  const opened = useEnquiry(enquiry).data
  useEffect(() => {
    if (opened && isBlankQuestion(question) && !isBlankQuestion(opened.question))
      go(opened.question, opened.id)
  }, [opened, question, go])
  const look = (next: WhereQuestion) => {
    // An answer that is known by now is a wish to look again, in the order of now.
    const key = ['where', trimmed(next)]
    if (isEqual(trimmed(next), question)) void client.resetQueries({ queryKey: key })
    else {
      client.removeQueries({ queryKey: key })
      go(next, adding ? 'new' : enquiry)
    }
  }
  const hits = answer.data?.hits ?? noHits
  const session = useSession()
  useKeys(
    useMemo(() => ({ n: () => go(question, 'new') }), [go, question]),
    mayWrite(session) && enquiry === null,
  )
  return (
    <div className="grid h-full grid-cols-[minmax(0,1fr)] grid-rows-[auto_minmax(0,1fr)] max-[899px]:block max-[899px]:overflow-y-auto">
      <h1 className="sr-only">{t('areas.whereabouts')}</h1>
      <section className="border-b border-line-strong px-6 py-4 max-[899px]:px-4">
        <Question asked={question} onLook={look} />
        <p className="mt-1 text-[0.95rem] text-ink-2">
          {answer.data && !isBlankQuestion(question) ? (
            <LookedAt data={answer.data} />
          ) : (
            t('whereabouts.before')
          )}{' '}
          <Link to="/whereabouts/list" className="border-b border-current text-petrol">
            {t('whereabouts.exactLink')}
          </Link>
        </p>
      </section>
      <div className="grid min-h-0 grid-cols-[minmax(0,1fr)] min-[900px]:grid-cols-[minmax(0,1fr)_minmax(280px,380px)]">
        <Hits answer={answer} question={question} enquiry={enquiry} />
        <Enquiries
          open={enquiry}
          adding={adding}
          question={question}
          // Whom the likeliest message was for, when nobody was named.
          colleague={answer.data?.understood.to[0]?.id ?? hits[0]?.mailboxId ?? undefined}
          hits={hits}
          onOpen={id => go(typeof id === 'number' ? noQuestion : question, id)}
        />
      </div>
    </div>
  )
}

interface HitsProps {
  readonly answer: ReturnType<typeof useAnswer>
  readonly question: WhereQuestion
  readonly enquiry: number | null
}

/** What may be meant, best first; with an enquiry open, one of them can be chosen for it. */
function Hits({ answer, question, enquiry }: HitsProps) {
  const { t } = useTranslation()
  const session = useSession()
  const hits = answer.data?.hits ?? noHits
  const choosing = useAct({
    send: (delivery: number) => call(changeEnquiry, { params: { id: enquiry ?? 0 }, body: { delivery } }),
    notice: () => ({ text: t('whereabouts.act.isChosen') }),
    makes: 'enquiry-changed',
  })
  return (
    <div
      className="min-h-0 space-y-3 overflow-y-auto px-6 py-4"
      tabIndex={0}
      role="region"
      aria-label={t('areas.whereabouts')}
      aria-busy={answer.isFetching}
    >
      {answer.isFetching && !answer.data && <SkeletonRows count={3} height={140} />}
      {answer.error && !answer.data && <Failed error={answer.error} onAgain={() => void answer.refetch()} />}
      {answer.data && !isBlankQuestion(question) && <Notes data={answer.data} question={question} />}
      {isBlankQuestion(question) ? (
        <Trouble />
      ) : (
        <HitList
          key={JSON.stringify(question)}
          hits={hits}
          about={question.about}
          onChoose={enquiry !== null && mayWrite(session) ? choosing.mutate : null}
        />
      )}
      {!isBlankQuestion(question) && answer.data?.nothing && <Nothing nothing={answer.data.nothing} />}
    </div>
  )
}

function LookedAt({ data: { lookedAt } }: { data: WhereAnswer }) {
  const { t } = useTranslation()
  const { number } = useNumbers()
  const days = Math.max(1, Math.round((Date.parse(lookedAt.until) - Date.parse(lookedAt.since)) / 86_400_000))
  return t('whereabouts.lookedAt', { deliveries: number(lookedAt.deliveries), days })
}

/** What could not be read, and what was taken for what. */
function Notes({ data, question }: { data: WhereAnswer; question: WhereQuestion }) {
  const { t } = useTranslation()
  const { understood, problem } = data
  const near = understood.to[0]?.name
  const notes = [
    ...(problem === '' ? [] : [t(`whereabouts.problem.${problem}`, { when: question.when })]),
    ...(understood.unknownAddress === ''
      ? []
      : [
          t(near ? 'whereabouts.unknownAddressNear' : 'whereabouts.unknownAddress', {
            address: understood.unknownAddress,
            name: near,
          }),
        ]),
    ...(question.to !== '' && understood.to.length === 0 && understood.unknownAddress === ''
      ? [t('whereabouts.nobody', { to: question.to })]
      : []),
  ]
  if (notes.length === 0) return null
  return (
    <ul role="status" className="rounded-md border border-amber/40 bg-amber-tint px-4 py-2 text-amber">
      {notes.map(note => (
        <li key={note}>{note}</li>
      ))}
    </ul>
  )
}

/** The honest answer, and what to ask the sender. */
function Nothing({ nothing }: { nothing: NonNullable<WhereAnswer['nothing']> }) {
  const { t } = useTranslation()
  const times = useTimes()
  const { domain, lastAt, since, similarDomains } = nothing
  return (
    <Empty title={t('whereabouts.nothing.title')}>
      <FirstSteps className="mb-2" />
      <p>
        {domain === ''
          ? t('whereabouts.nothing.words', { since: times.day(since) })
          : lastAt === null
            ? t('whereabouts.nothing.never', { domain, since: times.day(since) })
            : t('whereabouts.nothing.last', { domain, time: times.full(lastAt) })}
      </p>
      {similarDomains.length > 0 && (
        <p className="mt-1">{t('whereabouts.nothing.similar', { domains: similarDomains.join(', ') })}</p>
      )}
      <h3 className="mt-3 font-bold text-ink">{t('whereabouts.nothing.ask')}</h3>
      <ol className="list-decimal pl-5 text-left">
        {(['address', 'bounce', 'time'] as const).map(one => (
          <li key={one}>{t(`whereabouts.nothing.questions.${one}`)}</li>
        ))}
      </ol>
    </Empty>
  )
}
