import { useState, type ReactNode } from 'react'
import { useQuery } from '@tanstack/react-query'
import { useTranslation } from 'react-i18next'
import { Link } from 'react-router'
import type { z } from 'zod'
import { isKeptBack, sendTrial, watchTrial } from '@pendro/contract'
import { call } from '../../../app/api.ts'
import { queryKeyOf } from '../../../app/query-keys.ts'
import { useTimes } from '../../../app/times.ts'
import { useAct } from '../../../app/use-act.ts'
import { Button } from '../../../parts/buttons.tsx'
import { Card } from '../../../parts/card.tsx'
import { MailboxSlot } from '../../../parts/mailbox-slot.tsx'
import { Sentence } from '../../../parts/sentence.tsx'

type Sent = z.output<typeof sendTrial.response> & { readonly token: string }
type Stored = NonNullable<z.output<typeof watchTrial.response>['stored']>

const every = 500
/** After which it is said that it takes long. Milliseconds. */
const patience = 10_000

/** Sends a message through the door and tells each step of its way. */
export function TrialCard({ may }: { may: boolean }) {
  const { t } = useTranslation()
  const [mailbox, setMailbox] = useState<number>()
  const [sent, setSent] = useState<Sent>()
  const sending = useAct({
    send: async (to: number) => {
      const token = crypto.randomUUID()
      return { ...(await call(sendTrial, { body: { mailbox: to, token } })), token }
    },
    onDone: setSent,
  })
  return (
    <Card title={t('doors.trial.title')}>
      <p className="text-ink-2">{t(may ? 'doors.trial.text' : 'doors.trial.only')}</p>
      {may && (
        <div className="mt-2 flex flex-wrap items-center gap-x-4 gap-y-2">
          <p className="text-[1.05rem]">
            <Sentence
              text={t('doors.trial.to')}
              slots={{
                mailbox: (
                  <MailboxSlot mailbox={mailbox} onPick={setMailbox} nobody={t('doors.trial.nobody')} />
                ),
              }}
            />
          </p>
          <Button
            disabled={mailbox === undefined || sending.isPending}
            onClick={() => mailbox !== undefined && sending.mutate(mailbox)}
          >
            {t('doors.trial.send')}
          </Button>
        </div>
      )}
      {sent && <Steps key={sent.token} sent={sent} />}
    </Card>
  )
}

function Steps({ sent }: { sent: Sent }) {
  const { t } = useTranslation()
  const [began] = useState(() => Date.now())
  const watched = useQuery({
    queryKey: queryKeyOf('doors', 'trial', sent.token),
    enabled: sent.taken,
    queryFn: ({ signal }) => call(watchTrial, { params: { token: sent.token }, signal }),
    refetchInterval: ({ state }) => (isAtItsEnd(state.data?.stored ?? null) ? false : every),
  })
  const stored = watched.data?.stored ?? null
  const [connected, answered] = sent.steps
  return (
    <ol className="mt-3 border-l-2 border-line pl-4" aria-live="polite">
      {connected && <Step at={connected.at}>{t('doors.trial.step.connected')}</Step>}
      {answered && (
        <Step at={answered.at} isBad={!sent.taken}>
          {t(`doors.trial.step.${sent.taken ? 'taken' : 'refused'}`, { answer: sent.answer })}
          {sent.advice !== null && <span className="block">{t(`doors.advice.${sent.advice}`)}</span>}
        </Step>
      )}
      {stored && (
        <Step at={stored.at}>
          {t('doors.trial.step.judged', {
            score: Math.round(stored.score),
            state: t(`state.${stored.state}`),
          })}{' '}
          <Link to={`/review/${stored.delivery}`} className="border-b border-current text-petrol">
            {t('doors.trial.look')}
          </Link>
        </Step>
      )}
      {stored && <Onward stored={stored} />}
      {sent.taken && !isAtItsEnd(stored) && watched.dataUpdatedAt - began > patience && (
        <li className="py-1 text-ink-2">{t('doors.trial.slow')}</li>
      )}
    </ol>
  )
}

const isAtItsEnd = (stored: Stored | null): boolean => stored !== null && stored.state !== 'deferred'

function Onward({ stored: { state, landedAt, problem, advice } }: { stored: Stored }) {
  const { t } = useTranslation()
  if (landedAt !== null) return <Step at={landedAt}>{t('doors.trial.step.landed')}</Step>
  if (problem !== '')
    return (
      <Step isBad>
        {t('doors.trial.step.waits', { problem })}
        {advice !== null && <span className="block">{t(`doors.advice.${advice}`)}</span>}
      </Step>
    )
  return <Step>{t(`doors.trial.step.${isKeptBack(state) ? 'kept' : 'going'}`)}</Step>
}

function Step({ at, isBad = false, children }: { at?: string; isBad?: boolean; children: ReactNode }) {
  const times = useTimes()
  return (
    <li className={`grid grid-cols-[3.5rem_minmax(0,1fr)] gap-x-2 py-1 ${isBad ? 'text-stop' : ''}`}>
      <span className="text-ink-2 tabular-nums">{at === undefined ? '' : times.clock(at)}</span>
      <span className="break-words">{children}</span>
    </li>
  )
}
