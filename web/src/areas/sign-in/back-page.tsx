import { useEffect, useState } from 'react'
import { useQueryClient } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { Link, useNavigate } from 'react-router'
import { finishIdentity, type FactorKind } from '@pendro/contract'
import { call, problemOf } from '../../app/api.ts'
import { queryKeyOf } from '../../app/query-keys.ts'
import { entered } from '../../app/session.ts'
import { useNotices } from '../../app/notices.ts'
import { beganAsColleague } from './identity.tsx'
import { SecondStep } from './second-step.tsx'

/** Where whoever was at the identity provider comes back to, and is let in. */
export function BackPage() {
  const { t } = useTranslation()
  const { error, factors, from } = useAnswer()
  const navigate = useNavigate()
  return (
    <main className="grid h-full place-items-center px-8">
      <div className="w-full max-w-md">
        {factors && (
          <SecondStep
            factors={factors}
            text={t('signIn.secondTextIdentity')}
            onDone={() => void navigate(from, { replace: true })}
            onBack={() => void navigate('/sign-in', { replace: true })}
          />
        )}
        {!factors && error === null && <p role="status">{t('signIn.letIn')}</p>}
        {error !== null && (
          <>
            <h1 className="mb-3 font-serif text-[1.35rem] font-semibold">{t('signIn.notIn')}</h1>
            <p role="alert">{problemOf(error).text}</p>
            <p className="mt-4">
              <Link to="/sign-in" className="border-b border-current text-petrol">
                {t('signIn.back')}
              </Link>
            </p>
          </>
        )}
      </div>
    </main>
  )
}

/** Hands the answer in, and goes on from there. */
function useAnswer() {
  const { t } = useTranslation()
  const client = useQueryClient()
  const navigate = useNavigate()
  const [error, setError] = useState<unknown>(null)
  const [factors, setFactors] = useState<readonly FactorKind[] | null>(null)
  const [from, setFrom] = useState('/review')
  useEffect(() => {
    void (async () => {
      try {
        const done = await takeAnswer()
        const goOn = done.from === '/' ? '/review' : done.from
        setFrom(goOn)
        if (done.as === 'second-step') {
          setFactors(done.factors)
          return
        }
        if (done.as === 'staffer') entered(client, done.session)
        if (done.as === 'colleague') await client.invalidateQueries({ queryKey: queryKeyOf('own-session') })
        if (done.as === 'connected' || done.as === 'proven')
          useNotices.getState().show({ tone: 'done', text: t(`signIn.${done.as}`) })
        void navigate(goOn, { replace: true })
      } catch (failure) {
        // A colleague reads it on their own pages, in their language.
        if (beganAsColleague())
          void navigate('/own', { replace: true, state: { refused: problemOf(failure).code } })
        else setError(failure)
      }
    })()
  }, [client, navigate, t])
  return { error, factors, from }
}

let taken: ReturnType<typeof send> | undefined
/** What the identity provider put behind the address; it is left in no history. */
const send = () => {
  const answer = window.location.search
  window.history.replaceState(window.history.state, '', '/sign-in/back')
  return call(finishIdentity, { body: { answer } })
}
/** An answer counts once: however often the page is drawn, it is sent once. */
const takeAnswer = () => (taken ??= send())
