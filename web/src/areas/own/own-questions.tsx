import { useEffect } from 'react'
import { useQuery, useQueryClient } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { useParams } from 'react-router'
import { ownQuestions, readOwnQuestion, writeOwnQuestion, type OwnQuestion } from '@pendro/contract'
import { call } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { useContractForm } from '../../app/use-contract-form.ts'
import { useTimes } from '../../app/times.ts'
import { Button } from '../../parts/buttons.tsx'
import { Field, inputStyle } from '../../parts/field.tsx'
import { Failed, SkeletonRows } from '../../parts/states.tsx'
import { Miss } from './miss.tsx'
import { useProblemText } from './own-session.ts'
import { useOwnAct } from './use-own-act.ts'

/** Often enough to be called live; a conversation with a help desk goes by minutes. */
const lookAgain = 30_000

export function useOwnQuestions() {
  return useQuery({
    queryKey: queryKeyOf('own', 'questions'),
    queryFn: ({ signal }) => call(ownQuestions, { signal }),
    refetchInterval: lookAgain,
  })
}

/** What a colleague has asked the help desk, with the answers, newest first; the one that a mail led to comes first. */
export function OwnQuestions() {
  const { t } = useTranslation()
  const problemText = useProblemText()
  const { id } = useParams()
  const { data, error, isPending, refetch } = useOwnQuestions()
  if (error && !data) return <Failed say={problemText} error={error} onAgain={() => void refetch()} />
  const wanted = Number(id)
  const questions =
    data?.questions.toSorted((a, b) => Number(b.id === wanted) - Number(a.id === wanted)) ?? []
  return (
    <>
      <h1 className="font-serif text-[1.5rem] font-semibold">{t('own.questions')}</h1>
      {isPending && <SkeletonRows count={3} height={96} />}
      {data && questions.length === 0 && <p className="mt-3 text-ink-2">{t('own.question.none')}</p>}
      <ul className="mt-3 grid gap-4">
        {questions.map(question => (
          <li key={question.id} className="rounded-lg border border-line bg-sheet p-4">
            <Question question={question} />
          </li>
        ))}
      </ul>
      <Miss />
    </>
  )
}

function Question({ question }: { question: OwnQuestion }) {
  const { t } = useTranslation()
  const times = useTimes()
  useRead(question)
  return (
    <article>
      <h2 className="font-bold break-words">{question.words}</h2>
      <p className="text-[0.95rem] text-ink-2">
        {t('own.question.asked', { time: times.short(question.openedAt) })} ·{' '}
        {t(`own.question.state.${question.state}`)}
      </p>
      <ol className="mt-2">
        {question.letters.map(letter => (
          <li key={letter.id} className="border-t border-line py-2">
            <p className="text-[0.95rem] text-ink-2">
              {t(letter.by === 'staffer' ? 'own.question.from' : 'own.question.fromYou', {
                name: letter.name,
                time: times.short(letter.at),
              })}
            </p>
            <p className="break-words whitespace-pre-line">{letter.words}</p>
          </li>
        ))}
      </ol>
      <WriteBack question={question} />
    </article>
  )
}

/** Answers that are on the screen are read; the help desk sees that. */
function useRead({ id, unread }: OwnQuestion) {
  const client = useQueryClient()
  useEffect(() => {
    if (unread === 0) return
    void call(readOwnQuestion, { params: { id }, body: {} }).then(
      () => client.invalidateQueries({ queryKey: queryKeyOf('own', 'questions') }),
      // It is told again when the page is opened next.
      () => {},
    )
  }, [client, id, unread])
}

function WriteBack({ question: { id, letters } }: { question: OwnQuestion }) {
  const { t } = useTranslation()
  const { register, handleSubmit, reset, formState } = useContractForm(writeOwnQuestion.body, { words: '' })
  const writing = useOwnAct({
    send: (body: { words: string }) => call(writeOwnQuestion, { params: { id }, body }),
    notice: () => ({ text: t('own.question.sent') }),
    makes: 'own-changed',
    onDone: () => reset(),
  })
  return (
    <details className="mt-2" open={letters.at(-1)?.by === 'staffer' || undefined}>
      <summary className="min-h-8 cursor-pointer text-petrol">{t('own.question.write')}</summary>
      <form
        noValidate
        onSubmit={event => void handleSubmit(body => writing.mutate(body))(event)}
        className="mt-1 grid gap-2"
      >
        <Field label={t('own.question.words')} problem={formState.errors.words?.message}>
          {input => (
            <textarea {...input} {...register('words')} rows={3} maxLength={4000} className={inputStyle} />
          )}
        </Field>
        <p>
          <Button kind="main" type="submit" disabled={writing.isPending}>
            {t('own.question.send')}
          </Button>
        </p>
      </form>
    </details>
  )
}
